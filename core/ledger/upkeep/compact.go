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

// Compact writes layers where reading has become slow, removes those that are of no use, counts in records of earlier
// programs what these did not, and frees space.
func Compact(ctx context.Context, l *ledger.Ledger) error {
	records, err := l.Records(ctx)
	if err != nil {
		return err
	}
	defer l.Only(l.Chosen...)
	type key struct{ host, path string }
	done := map[key]bool{}
	for _, r := range records {
		if done[key{r.Host, r.Place}] {
			continue
		}
		done[key{r.Host, r.Place}] = true
		l.Store.Release()
		l.Only(r.Host) // a change is of one place, so that nobody who records another one is in the way
		if err := l.Change(ctx, func(u store.Update) error {
			all, err := ledger.RecordsIn(ctx, u)
			if err != nil {
				return err
			}
			of := ledger.OfPlace(all, r.Host, r.Place)
			if len(of) == 0 { // all were dropped meanwhile
				return nil
			}
			if err := recording.LayAll(ctx, u, of); err != nil {
				return err
			}
			return countAll(ctx, u, of)
		}); err != nil {
			return err
		}
	}
	return l.Store.Compact(ctx)
}

// countAll counts what there is to look at in records that do not tell.
func countAll(ctx context.Context, u store.Update, records []ledger.Record) error {
	if !slices.ContainsFunc(records, func(r ledger.Record) bool { return !r.Counted }) {
		return nil
	}
	g, err := replay.Roll(ctx, u, records[0].PlaceNumber)
	if err != nil {
		return err
	}
	checked := map[hashed]amount{}
	for _, r := range records {
		if r.Counted {
			continue
		}
		c := &checking{ctx: ctx, from: u, record: r, checked: checked}
		if c.state, err = g.UpTo(r.Number); err != nil {
			return err
		}
		all, err := c.folder(encoding.Root, nil)
		if err != nil {
			return err
		}
		if len(c.faults) > 0 || all.unsure {
			continue
		}
		if err := u.SetCounts(ctx, r.Number, all.looked, all.hidden); err != nil {
			return err
		}
	}
	return nil
}
