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
		room, err := w.unpack(room, from, l)
		if err != nil {
			return room, err
		}
		before, err := w.before.Held(w.ctx, from, l.id)
		if err == nil {
			l.diff = diffOf(before, room)
		}
		return room, err
	})
}

// diffOf holds what was in a folder against what is in it now, both in order of
// names.
func diffOf(old, now []encoding.Recorded) *diff {
	a := &diff{entered: map[string]bool{}, unseen: map[string]bool{}}
	var p encoding.Packer
	for len(now) > 0 || len(old) > 0 {
		switch {
		case len(old) == 0 || len(now) > 0 && now[0].Entry.Name < old[0].Entry.Name:
			now[0].Pack(&p)
			a.added = append(a.added, now[0])
			now = now[1:]
		case len(now) == 0 || old[0].Entry.Name < now[0].Entry.Name:
			p.Remove(old[0].Entry.Name)
			a.removed = append(a.removed, old[0])
			old = old[1:]
		default:
			if !old[0].Same(&now[0]) {
				now[0].Pack(&p)
				switch sides.Judge(&old[0].Entry, &now[0].Entry) {
				case sides.Altered:
					a.altered++
				case sides.Details:
					a.details++
				}
			}
			if name := old[0].Entry.Name; old[0].Entered {
				if a.entered[name] = true; now[0].Entry.Kind != entry.KindFolder {
					a.shut = append(a.shut, name)
				}
			} else {
				a.unseen[name] = old[0].Entry.Kind == entry.KindFolder
			}
			now, old = now[1:], old[1:]
		}
	}
	a.delta = p.Delta()
	return a
}
