package upkeep

import (
	"context"
	"slices"

	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
)

// Drop takes a record out of the ledger. The others stay whole: what they have
// in common with it goes over to the one of its place after it.
func Drop(ctx context.Context, l *ledger.Ledger, number int64) error {
	var found ledger.Record
	if err := ledger.Retry(ctx, func() (err error) {
		found, err = l.Find(ctx, ledger.Reference{Number: number})
		return err
	}); err != nil {
		return err
	}
	defer l.Only(l.Chosen...)
	l.Only(found.Host) // what others have is no matter
	attempted := false // and then it may have been done, though the answer was lost
	return l.Change(ctx, func(u store.Update) error {
		records, err := ledger.RecordsIn(ctx, u)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(records, func(r ledger.Record) bool { return r.Number == number })
		if at < 0 && attempted {
			return nil
		}
		if at < 0 {
			return ledger.ErrNoRecord
		}
		attempted = true
		dropped := records[at]
		of := ledger.OfPlace(records, dropped.Host, dropped.Place)
		at = slices.IndexFunc(of, func(r ledger.Record) bool { return r.Number == number })
		if at+1 < len(of) {
			if err := handOver(ctx, u, dropped, of[at+1], at == 0); err != nil {
				return err
			}
		}
		if err := u.AddDropped(ctx, dropped.Host, dropped.Identity()); err != nil {
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
func handOver(ctx context.Context, u store.Update, dropped, next ledger.Record, first bool) error {
	s, err := replay.LoadRange(ctx, u, store.Range{Place: dropped.PlaceNumber, UpTo: next.Number})
	if err != nil {
		return err
	}
	var segments []encoding.Segment // added in the end, lest they be removed with the old ones
	w := encoding.SegmentWriter{Write: func(_ context.Context, s encoding.Segment) error {
		segments = append(segments, encoding.Segment{Folders: slices.Clone(s.Folders), Names: slices.Clone(s.Names), Facts: slices.Clone(s.Facts)})
		return nil
	}}
	if err := s.Pack(ctx, u, dropped.Number, first, &w); err != nil {
		return err
	}
	if err := u.RemoveSegments(ctx, next.Number); err != nil {
		return err
	}
	for _, segment := range segments {
		if err := recording.AddTo(u, next)(ctx, segment); err != nil {
			return err
		}
	}
	return nil
}
