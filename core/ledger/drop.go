package ledger

import (
	"context"
	"slices"
)

// Drop takes a record out of the ledger. The others stay whole: what they have
// in common with it goes over to the one of its place after it.
func (l *Ledger) Drop(ctx context.Context, number int64) error {
	return l.store.Update(ctx, func(u Update) error {
		records, err := u.Records(ctx)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(records, func(r Record) bool { return r.Number == number })
		if at < 0 {
			return ErrNoRecord
		}
		dropped := records[at]
		later := records[at+1:]
		if next := slices.IndexFunc(later, func(r Record) bool { return r.place == dropped.place }); next >= 0 {
			first := !slices.ContainsFunc(records[:at], func(r Record) bool { return r.place == dropped.place })
			if err := handOver(ctx, u, dropped, later[next].Number, first); err != nil {
				return err
			}
		}
		if err := u.RemoveSheets(ctx, number); err != nil {
			return err
		}
		return u.RemoveRecord(ctx, number)
	})
}

// handOver lays what the next record says over what this one says, and makes
// that the next record's. Where there is none before, it need not say what is
// gone.
func handOver(ctx context.Context, u Update, dropped Record, next int64, first bool) error {
	s, err := load(ctx, u, dropped.place, next)
	if err != nil {
		return err
	}
	var sheets []Sheet // added in the end, lest they be removed with the old ones
	w := sheetWriter{place: dropped.place, record: next, put: func(_ context.Context, s Sheet) error {
		s.Folders, s.Names, s.Facts = slices.Clone(s.Folders), slices.Clone(s.Names), slices.Clone(s.Facts)
		sheets = append(sheets, s)
		return nil
	}}
	for id := range s.folders {
		f := &s.folders[id]
		if !s.known(uint64(id)) || f.record < dropped.Number {
			continue
		}
		v := f.folderVersion
		v.fresh = f.met >= dropped.Number
		var both []piece
		for _, at := range f.pieces {
			if s.recordOf(at) < dropped.Number {
				continue
			}
			p, err := s.piece(ctx, u, at, true)
			if err != nil {
				return err
			}
			both = append(both, p)
		}
		var p piece
		if v.pieced = len(both) > 0; v.pieced {
			if p, err = join(both, first); err != nil {
				return err
			}
		}
		if err := w.add(ctx, &v, p); err != nil {
			return err
		}
	}
	if err := w.flush(ctx); err != nil {
		return err
	}
	if err := u.RemoveSheets(ctx, next); err != nil {
		return err
	}
	for _, sheet := range sheets {
		if err := u.AddSheet(ctx, sheet); err != nil {
			return err
		}
	}
	return nil
}

// join makes one piece of some that follow one another. The first ever need not
// say what is gone.
func join(pieces []piece, first bool) (joined piece, err error) {
	var list []kept
	for _, p := range pieces {
		fresh, err := appendAll(nil, p)
		if err != nil {
			return joined, err
		}
		list = merge(list, fresh)
	}
	var p packer
	for _, k := range list {
		if !k.gone || !first {
			k.pack(&p)
		}
	}
	return piece{p.names, p.facts}, nil
}
