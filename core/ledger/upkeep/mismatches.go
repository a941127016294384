package upkeep

import (
	"cmp"
	"context"
	"encoding/hex"
	"slices"
	"strings"
	"time"

	"frankledger/core/ledger"
	"frankledger/core/ledger/store"
)

// Mismatch is a file whose content changed although nothing about it says so.
type Mismatch struct {
	Path        string // from the place, exact bytes
	Record      int64  // the record at which that was found
	Found       time.Time
	Algorithm   string
	Before, Now string // digests, in hexadecimal
}

// Mismatches returns the files of the place of a record whose content changed though nothing said
// so, and that were not accepted since, in order of their paths.
func Mismatches(ctx context.Context, l *ledger.Ledger, r ledger.Record) (list []Mismatch, err error) {
	rows, err := l.Store.Mismatches(ctx, r.PlaceNumber)
	for _, m := range rows {
		list = append(list, Mismatch{Path: m.Path, Record: m.Record, Found: m.Found, Algorithm: m.Algorithm, Before: hex.EncodeToString(m.Before), Now: hex.EncodeToString(m.Now)})
	}
	slices.SortFunc(list, func(a, b Mismatch) int { return strings.Compare(a.Path, b.Path) })
	return list, err
}

// Accept forgets mismatches of the place of a record: of all that lies at or below a path from it, ""
// for all. It returns how many that were.
func Accept(ctx context.Context, l *ledger.Ledger, r ledger.Record, below string) (accepted []Mismatch, err error) {
	all, err := Mismatches(ctx, l, r)
	if err != nil {
		return nil, err
	}
	for _, m := range all {
		if below == "" || m.Path == below || strings.HasPrefix(m.Path, below+"/") {
			accepted = append(accepted, m)
		}
	}
	return accepted, l.Change(ctx, func(u store.Update) error {
		for _, m := range accepted {
			if err := u.RemoveMismatch(ctx, r.PlaceNumber, m.Path); err != nil {
				return err
			}
		}
		return nil
	})
}

// Coverage says how much of the content of a place was read again, and since when.
type Coverage struct {
	Share float64 // of the files, about; 1 for all
	Since time.Time
}

// CoverageOf returns how long ago the last time lies since which all files of the place of a record were
// read again at least once; or, if there is none, what share was read since the first.
func CoverageOf(ctx context.Context, l *ledger.Ledger, r ledger.Record) (c Coverage, known bool, err error) {
	rows, err := l.Store.Rereads(ctx, r.PlaceNumber)
	if err != nil || len(rows) == 0 {
		return c, false, err
	}
	c = covered(rows)
	return c, true, nil
}

// covered puts together passes, the newest last.
func covered(rows []store.RereadRow) (c Coverage) {
	const all = uint64(1) << 63
	type stretch struct{ from, to uint64 }
	var read []stretch
	for _, row := range slices.Backward(rows) {
		c.Since = row.Taken
		if row.Whole {
			c.Share = 1
			return c
		}
		from, to := uint64(row.From), uint64(row.To)
		if from <= to {
			read = append(read, stretch{from, to})
		} else {
			read = append(read, stretch{from, all}, stretch{0, to})
		}
		slices.SortFunc(read, func(a, b stretch) int { return cmp.Compare(a.from, b.from) })
		sum, end := uint64(0), uint64(0)
		for _, s := range read {
			if s.to > end {
				sum += s.to - max(s.from, end)
				end = s.to
			}
		}
		if c.Share = float64(sum) / float64(all); sum == all {
			c.Share = 1
			return c
		}
	}
	return c
}
