package recording

import (
	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/sides"
)

// diffAll finds out of all folders that the ledger has how they differ from what it
// has.
func (w *writer) diffAll(from store.Reader) error {
	var list []*tree
	w.root.each(func(l *tree) error {
		old := w.before.Folder(l.id)
		if l.diff = nil; old != nil && old.Contents != l.Contents {
			list = append(list, l)
		}
		return nil
	})
	return onAllCores(len(list), func(i int, room []encoding.Recorded) ([]encoding.Recorded, error) {
		if err := w.ctx.Err(); err != nil {
			return room, err
		}
		l := list[i]
		content, err := w.content(from, l)
		if err != nil {
			return room, err
		}
		d := newDiffer(content)
		if err = w.before.Pieces(w.ctx, from, l.id, d.past); err == nil {
			l.diff, err = d.end()
		}
		return room, err
	})
}

// differ compares what was in a folder with what is in it now, both in order of names, and holds only what differs.
type differ struct {
	diff
	packer encoding.Packer
	now    *encoding.Walk
	more   bool // there is an entry at hand of what is there now
}

// newDiffer begins with what is in a folder now.
func newDiffer(now encoding.Delta) *differ {
	d := &differ{diff: diff{entered: map[string]bool{}, unseen: map[string]bool{}}, now: encoding.NewWalk(now)}
	d.more = d.now.Next()
	return d
}

// past takes what was in the folder, or a further part of it.
func (d *differ) past(held []encoding.Recorded) error {
	for i := range held {
		old := &held[i]
		name := old.Entry.Name
		for d.more && d.now.Entry.Name < name {
			d.add()
		}
		if !d.more || d.now.Entry.Name != name {
			d.packer.Remove(name)
			d.removed = append(d.removed, *old)
			continue
		}
		now := &d.now.Recorded
		if !old.Same(now) {
			now.Pack(&d.packer)
			switch sides.Judge(&old.Entry, &now.Entry) {
			case sides.Altered:
				d.altered++
			case sides.Details:
				d.details++
			}
		}
		if old.Entered {
			if d.entered[name] = true; now.Entry.Kind != entry.KindFolder {
				d.shut = append(d.shut, name)
			}
		} else if old.Entry.Kind == entry.KindFolder {
			d.unseen[name] = true
		}
		d.more = d.now.Next()
	}
	return d.now.Err()
}

// add notes that the entry at hand is new.
func (d *differ) add() {
	d.now.Pack(&d.packer)
	d.added = append(d.added, d.now.Recorded.Clone())
	d.more = d.now.Next()
}

// end returns the difference, after the last part.
func (d *differ) end() (*diff, error) {
	for d.more {
		d.add()
	}
	found := d.diff // without what was only needed to find it
	found.delta = d.packer.Delta()
	return &found, d.now.Err()
}
