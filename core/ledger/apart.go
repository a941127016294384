package ledger

// apart is how a folder is apart from what the ledger has of it.
type apart struct {
	piece   piece           // what the ledger does not have yet
	added   []kept          // entries that are new
	removed []kept          // and those that are gone
	altered int64           // how many others are different
	shut    []string        // folders that can no longer be gone into, being something else now
	entered map[string]bool // folders that were gone into, as far as they are still there
}

// compare finds out of all folders that the ledger has how they are apart from
// what it has.
func (w *writer) compare(shelf Shelf) error {
	var list []*listing
	w.root.each(func(l *listing) error {
		old := w.before.folder(l.id)
		if l.apart = nil; old != nil && (old.own != l.own || old.full != l.full || old.digested != l.digested) {
			list = append(list, l)
		}
		return nil
	})
	return onAllCores(len(list), func(i int, room []kept) ([]kept, error) {
		if err := w.ctx.Err(); err != nil {
			return room, err
		}
		l := list[i]
		room, err := appendAll(room, l.piece)
		if err != nil {
			return room, err
		}
		before, err := w.before.held(w.ctx, shelf, l.id)
		if err == nil {
			l.apart = apartOf(before, room)
		}
		return room, err
	})
}

// apartOf holds what was in a folder against what is in it now, both in order of
// names.
func apartOf(old, now []kept) *apart {
	a := &apart{entered: map[string]bool{}}
	var p packer
	for len(now) > 0 || len(old) > 0 {
		switch {
		case len(old) == 0 || len(now) > 0 && now[0].entry.Name < old[0].entry.Name:
			now[0].pack(&p)
			a.added = append(a.added, now[0])
			now = now[1:]
		case len(now) == 0 || old[0].entry.Name < now[0].entry.Name:
			p.remove(old[0].entry.Name)
			a.removed = append(a.removed, old[0])
			old = old[1:]
		default:
			if !old[0].same(&now[0]) {
				now[0].pack(&p)
				if !old[0].sameButRead(&now[0]) {
					a.altered++
				}
			}
			if name := old[0].entry.Name; old[0].entered {
				if a.entered[name] = true; !now[0].entered && !now[0].unread {
					a.shut = append(a.shut, name)
				}
			}
			now, old = now[1:], old[1:]
		}
	}
	a.piece = piece{p.names, p.facts}
	return a
}
