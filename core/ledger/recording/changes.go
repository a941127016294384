package recording

import (
	"slices"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
)

// find finds the records that one is held against, among those of the place.
func (c *Changes) find(records []ledger.Record, r *ledger.Record) {
	for i := range slices.Backward(records) {
		other := &records[i]
		same := other.Terms.ChooseAs(r.Terms)
		if c.Before == nil && same {
			c.Before = other
			c.Counted = i == len(records)-1 && r.Terms.Where == nil // else more than what was added came, or went
		}
		if c.Labelled == nil && other.Label == r.Label {
			c.Labelled = other
		}
	}
	if c.Labelled != nil && c.Labelled.Terms.ChooseAs(r.Terms) {
		c.Labelled = nil
	}
}

func movableOf(e *entry.Entry) movable {
	var m movable
	if id, ok := e.Identity(); ok {
		m.identity = id
	}
	if fact := e.FirstDigest(); fact != 0 && e.Size > 0 {
		m.digest = e.More.Digests.Sum(fact)
	}
	return m
}

func (w *writer) added(k *encoding.Recorded) {
	w.changes.Added++
	w.moves.came = append(w.moves.came, movableOf(&k.Entry))
}

// count counts how a folder that was there differs.
func (w *writer) count(a *diff, id uint64) (err error) {
	w.changes.Altered += a.altered
	w.changes.Details += a.details
	for i := range a.added {
		w.added(&a.added[i])
	}
	for i := 0; i < len(a.removed) && err == nil; i++ {
		err = w.removed(&a.removed[i], id)
	}
	for i := 0; i < len(a.shut) && err == nil; i++ {
		err = w.disappeared(w.before.Inside(id, a.shut[i]))
	}
	return err
}

// removed notes an entry that is gone, with all that was in it.
func (w *writer) removed(k *encoding.Recorded, in uint64) error {
	w.changes.Removed++
	w.moves.went = append(w.moves.went, movableOf(&k.Entry))
	if !k.Entered {
		return nil
	}
	return w.disappeared(w.before.Inside(in, k.Entry.Name))
}

// disappeared notes that all that was in a folder is gone.
func (w *writer) disappeared(id uint64) error {
	held, err := w.before.Held(w.ctx, w.update, id)
	for i := 0; i < len(held) && err == nil; i++ {
		err = w.removed(&held[i], id)
	}
	return err
}

// appearedIn notes that all that is directly in a folder is new.
func (w *writer) appearedIn(l *tree) error {
	if w.changes.First {
		return nil
	}
	now, err := w.unpack(nil, w.update, l)
	for i := range now {
		w.added(&now[i])
	}
	return err
}

// appeared notes that all that is in a folder, at any depth, is new.
func (w *writer) appeared(l *tree) error {
	return l.each(w.appearedIn)
}

// countMoves takes for moved what went under one path and came under another: the
// very same thing, or else the same content.
func (c *Changes) countMoves(m *moves) {
	identities, digests := map[entry.Identity]int{}, map[string]int{}
	for _, went := range m.went {
		if went.identity != (entry.Identity{}) {
			identities[went.identity]++
		}
	}
	var others []movable
	for _, came := range m.came {
		if identities[came.identity] > 0 {
			identities[came.identity]--
			c.Moved++
		} else {
			others = append(others, came)
		}
	}
	for _, went := range m.went {
		if went.identity != (entry.Identity{}) && identities[went.identity] == 0 {
			continue
		}
		identities[went.identity]--
		if went.digest != "" {
			digests[went.digest]++
		}
	}
	for _, came := range others {
		if digests[came.digest] > 0 {
			digests[came.digest]--
			c.Moved++
		}
	}
	c.Added -= c.Moved
	c.Removed -= c.Moved
}
