package ledger

import (
	"context"
	"fmt"
)

// Fault is something in a ledger that is not as it should be.
type Fault struct {
	Record int64  // 0 for the store itself
	Way    string // from the place of the record
	What   string
}

// Check looks whether the store is whole, and whether all that is recorded still
// has the seals it was given.
func (l *Ledger) Check(ctx context.Context) ([]Fault, error) {
	var faults []Fault
	lines, err := l.store.Check(ctx)
	for _, line := range lines {
		faults = append(faults, Fault{What: line})
	}
	if err != nil || len(faults) > 0 {
		return faults, err
	}
	records, err := l.store.Records(ctx)
	if err != nil {
		return nil, err
	}
	altered, err := l.store.Altered(ctx)
	if err != nil {
		return nil, err
	}
	for _, number := range altered {
		faults = append(faults, Fault{number, "", "its label, time, note, terms or problems are not as they were written"})
	}
	checked := map[int64]map[sealed]amount{} // by place
	for _, r := range records {
		if checked[r.place] == nil {
			checked[r.place] = map[sealed]amount{}
		}
		c := &checking{ctx: ctx, shelf: l.store, record: r, checked: checked[r.place]}
		if c.state, err = load(ctx, l.store, r.place, r.Number); err != nil {
			return faults, err
		}
		all, err := c.folder(root, "")
		if err != nil {
			return faults, err
		}
		switch {
		case len(c.faults) > 0:
		case c.state.folders[root].seal != r.seal:
			c.fault("", "the place is not as its seal says")
		case all.entries != r.Entries || r.Bytes > all.bytes || r.Bytes < all.bytes-all.several:
			c.fault("", fmt.Sprintf("it holds %d entries of %d bytes, and not %d of %d", all.entries, all.bytes, r.Entries, r.Bytes))
		}
		faults = append(faults, c.faults...)
	}
	return faults, nil
}

// sealed is a folder as it was once.
type sealed struct {
	folder uint64
	seal   seal
}

// amount is what a folder holds, at any depth.
type amount struct {
	entries, bytes int64
	several        int64 // bytes of files of several names, by each of these: they may be counted once, or as often
}

// checking checks one record. What was found good in another is good in this.
type checking struct {
	ctx     context.Context
	shelf   Shelf
	record  Record
	state   *state
	checked map[sealed]amount
	faults  []Fault
}

func (c *checking) fault(way, what string) {
	c.faults = append(c.faults, Fault{c.record.Number, way, what})
}

// folder checks a folder and all below it.
func (c *checking) folder(id uint64, way string) (held amount, err error) {
	if err := c.ctx.Err(); err != nil {
		return held, err
	}
	f := c.state.folder(id)
	if f == nil {
		c.fault(way, "a folder is not there")
		return held, nil
	}
	if held, done := c.checked[sealed{id, f.seal}]; done {
		return held, nil
	}
	list, err := c.state.held(c.ctx, c.shelf, id)
	if err != nil {
		return held, err
	}
	before := len(c.faults)
	for i := range list {
		held.entries++
		if e := &list[i].entry; e.HasSize() {
			held.bytes += e.Size
			if e.Links > 1 {
				held.several += e.Size
			}
		}
	}
	var now listing
	now.pack(list)
	entries := f.own
	if f.full != (seal{}) {
		entries = f.full
	}
	if now.own != f.own || now.full != f.full {
		c.fault(way, "its entries are not as they were sealed")
	}
	s := newSealer(entries)
	for i := range list {
		k := &list[i]
		if !k.entered {
			continue
		}
		below := c.state.ids[folderKey{id, k.entry.Name}]
		in, err := c.folder(below, wayTo(way, k.entry.Name))
		if err != nil {
			return held, err
		}
		held.entries, held.bytes, held.several = held.entries+in.entries, held.bytes+in.bytes, held.several+in.several
		if g := c.state.folder(below); g != nil {
			s.add(k.entry.Name, g.seal)
		}
	}
	switch {
	case len(c.faults) > before:
	case s.seal() != f.seal:
		c.fault(way, "its folders are not as they were sealed")
	default:
		c.checked[sealed{id, f.seal}] = held
	}
	return held, nil
}
