package replay

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/sums"
)

// Weights are what the folders of a place held at a record.
type Weights struct {
	state *State
	own   map[uint64]*ownWeight // by number of folder
	sums  map[uint64]sums.Sum   // at any depth, as of the record
}

// ownWeight is what lies directly in a folder.
type ownWeight struct {
	deltas int // of how many deltas that is
	sum    sums.Sum
	named  []sums.Name[nameAt] // what has several names, whose bytes are not in the sum
	below  []uint64            // the folders in it
	shut   []string            // those that were not entered
	unread int64               // how many of these could not be read
}

// nameAt is where a name lies.
type nameAt struct {
	folder uint64
	name   string
}

// SeriesOf returns the records that can be compared with what is at a path now: of the place that it is, or the
// nearest that it lies in, all made on the same terms; the oldest first. It returns the path from that place too, and
// how many records there are on other terms.
func SeriesOf(ctx context.Context, l *ledger.Ledger, host, path string, terms ledger.Terms) (records []ledger.Record, below string, others int, err error) {
	all, err := l.Records(ctx)
	if err != nil {
		return nil, "", 0, err
	}
	place := ""
	for _, r := range all {
		rest, in := belowPlace(path, r.Place)
		if r.Host != host || !in || len(r.Place) < len(place) {
			continue
		}
		if !r.Terms.ChooseAs(terms) {
			others++
			continue
		}
		if r.Place != place {
			place, below, records = r.Place, rest, nil
		}
		records = append(records, r)
	}
	return records, below, others, nil
}

// EachWeights calls a function with what folders held at each of some records of one place, in
// the order in which they were written. Only what has changed from one to the next is read. The weights are good
// until the function returns.
func EachWeights(ctx context.Context, l *ledger.Ledger, records []ledger.Record, do func(ledger.Record, *Weights) error) error {
	if len(records) == 0 {
		return nil
	}
	g, err := Roll(ctx, l.Store, records[0].PlaceNumber)
	if err != nil {
		return err
	}
	w := &Weights{own: map[uint64]*ownWeight{}}
	for _, r := range slices.SortedFunc(slices.Values(records), ledger.ByNumber) {
		if err := ctx.Err(); err != nil {
			return err
		}
		if w.state, err = g.UpTo(r.Number); err != nil {
			return err
		}
		if err := w.weigh(ctx, l); err != nil {
			return err
		}
		if err := do(r, w); err != nil {
			return err
		}
	}
	return nil
}

// weigh sums up what the folders hold that are there at the record of the state.
func (w *Weights) weigh(ctx context.Context, l *ledger.Ledger) error {
	var there []uint64 // each before those in it
	var named []sums.Name[nameAt]
	w.sums = make(map[uint64]sums.Sum, len(w.own))
	for next := []uint64{encoding.Root}; len(next) > 0; {
		id := next[len(next)-1]
		own, err := w.ownOf(ctx, l, id)
		if err != nil {
			return err
		}
		next = append(next[:len(next)-1], own.below...)
		if there = append(there, id); len(there) > len(w.state.folders) {
			return ErrNumber // a folder lies in itself
		}
		sum := own.sum
		sum.Unread += own.unread
		w.sums[id] = sum
		named = append(named, own.named...)
	}
	sums.CountOnce(named, func(n nameAt) string { return w.path(n) }, func(n *sums.Name[nameAt]) {
		sum := w.sums[n.Of.folder]
		sum.Add(n.Bytes)
		w.sums[n.Of.folder] = sum
	}, nil)
	for _, id := range slices.Backward(there) {
		if id != encoding.Root {
			above := w.state.folders[id].Parent
			sum := w.sums[above]
			sum.Add(w.sums[id])
			w.sums[above] = sum
		}
	}
	return nil
}

// path returns the path of a name from the place.
func (w *Weights) path(n nameAt) string {
	folder, _ := w.state.Path(n.folder)
	return JoinPath(folder, n.name)
}

// ownOf returns what lies directly in a folder, and reads that if it has changed.
func (w *Weights) ownOf(ctx context.Context, l *ledger.Ledger, id uint64) (*ownWeight, error) {
	f := w.state.Folder(id)
	if f == nil {
		return &ownWeight{}, nil
	}
	if own := w.own[id]; own != nil && own.deltas == len(f.deltas) {
		return own, nil
	}
	own := &ownWeight{deltas: len(f.deltas)}
	err := w.state.Each(ctx, l.Store, id, func(r *encoding.Recorded) {
		e := &r.Entry
		switch {
		case e.Kind != entry.KindFolder:
		case r.Entered:
			own.below = append(own.below, w.state.Inside(id, e.Name))
		default:
			own.shut = append(own.shut, strings.Clone(e.Name))
			if r.Unread {
				own.unread++
			}
		}
		if bytes, several := own.sum.Take(e); several {
			own.named = append(own.named, sums.Name[nameAt]{Node: e.Node(), Of: nameAt{id, strings.Clone(e.Name)}, Bytes: bytes})
		}
	})
	w.own[id] = own
	return own, err
}

// Of returns what a folder held at any depth, by its path from the place, and whether it was
// there, or not read.
func (w *Weights) Of(path string) (sums.Sum, Presence) {
	id := uint64(encoding.Root)
	if path != "" {
		for name := range strings.SplitSeq(path, "/") {
			if own := w.own[id]; own != nil && slices.Contains(own.shut, name) {
				return sums.Sum{Unread: 1}, NotRead
			}
			id = w.state.Inside(id, name)
		}
	}
	sum, there := w.sums[id]
	if !there {
		return sum, Absent
	}
	return sum, There
}

// Sizes are what was under one path at each record of a place with one label, made on the same terms.
type Sizes struct {
	Place, Label string
	Terms        ledger.Terms
	Sizes        []Size // the oldest first
}

// Size is what was under a path at a record.
type Size struct {
	Taken  time.Time
	Record int64
	Sum    sums.Sum // of a file, or of all that a folder held; with something unread, where that is not known
	There  bool
	turn   int64
}

// SizesOf returns what was under a full path on a host, at every record that has it. Records of several places that
// the path lies in, or of several labels, are kept apart.
func SizesOf(ctx context.Context, l *ledger.Ledger, host, path string) (all []Sizes, err error) {
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	var series [][]ledger.Record
	for _, same := range seriesOf(records, host, path) {
		for len(same) > 0 {
			terms := same[0].Terms
			alike := slices.DeleteFunc(slices.Clone(same), func(r ledger.Record) bool { return !r.Terms.ChooseAs(terms) })
			same = slices.DeleteFunc(same, func(r ledger.Record) bool { return r.Terms.ChooseAs(terms) })
			series = append(series, alike)
		}
	}
	for _, same := range series {
		below, _ := belowPlace(path, same[0].Place)
		sizes, known := Sizes{Place: same[0].Place, Label: same[0].Label, Terms: same[0].Terms.Choosing()}, false
		err := EachWeights(ctx, l, same, func(r ledger.Record, w *Weights) error {
			s := Size{Taken: r.Taken, Record: r.Number, turn: r.Turn}
			var state Presence
			if s.Sum, state = w.Of(below); state == Absent && below != "" {
				var e entry.Entry
				var err error
				if state, e, err = look(ctx, l, w.state, strings.Split(below, "/")); err != nil {
					return err
				}
				if state == There {
					bytes, _ := s.Sum.Take(&e)
					s.Sum.Size, s.Sum.Disk = bytes.Size, bytes.Disk
				}
			}
			s.There = state != Absent
			known = known || s.There
			sizes.Sizes = append(sizes.Sizes, s)
			return nil
		})
		if err != nil {
			return nil, err
		}
		if known {
			slices.SortStableFunc(sizes.Sizes, func(a, b Size) int { return cmp.Compare(a.turn, b.turn) })
			all = append(all, sizes)
		}
	}
	return all, nil
}
