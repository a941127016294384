package ledger

import (
	"context"
	"slices"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Drop takes a record out of the ledger. The others stay whole: what they have
// in common with it goes over to the one of its place after it.
func (l *Ledger) Drop(ctx context.Context, number int64) error {
	var found Record
	if err := retried(ctx, func() (err error) {
		found, err = l.Find(ctx, Reference{Number: number})
		return err
	}); err != nil {
		return err
	}
	defer l.Only(l.hosts...)
	l.Only(found.Host) // what others have is no matter
	attempted := false // and then it may have been done, though the answer was lost
	return l.change(ctx, func(u store.Update) error {
		records, err := recordsIn(ctx, u)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(records, func(r Record) bool { return r.Number == number })
		if at < 0 && attempted {
			return nil
		}
		if at < 0 {
			return ErrNoRecord
		}
		attempted = true
		dropped := records[at]
		of := ofPlace(records, dropped.Host, dropped.Place)
		at = slices.IndexFunc(of, func(r Record) bool { return r.Number == number })
		if at+1 < len(of) {
			if err := handOver(ctx, u, dropped, of[at+1], at == 0); err != nil {
				return err
			}
		}
		if err := u.AddDropped(ctx, dropped.Host, dropped.identity()); err != nil {
			return err
		}
		if err := u.RemoveSegments(ctx, number); err != nil {
			return err
		}
		return u.RemoveRecord(ctx, number)
	})
}

// handOver lays what the next record says over what this one says, and makes
// that the next record's. Where there is none before, it need not say what is
// gone.
func handOver(ctx context.Context, u store.Update, dropped, next Record, first bool) error {
	s, err := loadRange(ctx, u, store.Range{Place: dropped.place, UpTo: next.Number})
	if err != nil {
		return err
	}
	var segments []encoding.Segment // added in the end, lest they be removed with the old ones
	w := encoding.SegmentWriter{Write: func(_ context.Context, s encoding.Segment) error {
		segments = append(segments, encoding.Segment{Folders: slices.Clone(s.Folders), Names: slices.Clone(s.Names), Facts: slices.Clone(s.Facts)})
		return nil
	}}
	for id := range s.folders {
		f := &s.folders[id]
		if !s.known(uint64(id)) || f.record < dropped.Number {
			continue
		}
		v := f.FolderVersion
		v.Fresh = f.met >= dropped.Number
		var both []encoding.Delta
		for _, at := range f.deltas {
			if s.recordOf(at) < dropped.Number {
				continue
			}
			d, err := s.delta(ctx, u, at, true)
			if err != nil {
				return err
			}
			both = append(both, d)
		}
		var joined encoding.Delta
		if v.HasDelta = len(both) > 0; v.HasDelta {
			if joined, err = encoding.Join(both, first); err != nil {
				return err
			}
		}
		if err := w.Add(ctx, &v, joined); err != nil {
			return err
		}
	}
	if err := w.Flush(ctx); err != nil {
		return err
	}
	if err := u.RemoveSegments(ctx, next.Number); err != nil {
		return err
	}
	for _, segment := range segments {
		if err := addTo(u, next)(ctx, segment); err != nil {
			return err
		}
	}
	return nil
}
