// History has the sample tree grow over some weeks and records it in a ledger after each, dated
// so, for a picture of a report.
//
//	go run ./scripts/history FOLDER LEDGER 2026-11-23T12:00:00Z
package main

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"time"

	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/live"
	"frankledger/core/source"
)

const weeks = 10

// growing are folders, and about how many MiB come to each in a week.
var growing = map[string]float64{
	"recordings/ridge": 260, "recordings/old-jetty": 130, "cards/card 07": 90, "exchange/renders": 60, "maps": 25, "counts/2026": 12, "scripts/cache": 40,
}

func main() {
	if len(os.Args) != 4 {
		fmt.Fprintln(os.Stderr, "history: name the folder, the ledger and the last day")
		os.Exit(2)
	}
	if err := history(os.Args[1], os.Args[2], os.Args[3]); err != nil {
		fmt.Fprintln(os.Stderr, "history:", err)
		os.Exit(1)
	}
}

func history(folder, file, last string) error {
	end, err := time.Parse(time.RFC3339, last)
	if err != nil {
		return err
	}
	ctx := context.Background()
	l, err := ledger.Create(ctx, file)
	if err != nil {
		return err
	}
	defer l.Close()
	random := rand.New(rand.NewPCG(7, 7))
	for week := range weeks + 1 {
		moment := end.AddDate(0, 0, 7*(week-weeks))
		if week == 6 { // someone tidied up
			if err := os.RemoveAll(filepath.Join(folder, "exchange/renders")); err != nil {
				return err
			}
		}
		for _, name := range slices.Sorted(maps.Keys(growing)) { // the same each time
			size := growing[name]
			if err := grow(filepath.Join(folder, name), week, int64(size*(0.3+random.Float64())*(1<<20)), moment); err != nil {
				return err
			}
		}
		if week == weeks { // what is new since the last record
			return nil
		}
		if err := record(ctx, l, folder, moment); err != nil {
			return err
		}
	}
	return nil
}

// grow adds a file, with a hole in it.
func grow(folder string, week int, size int64, moment time.Time) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	path := filepath.Join(folder, fmt.Sprintf("take-%02d.dat", week))
	if err := os.WriteFile(path, []byte("Tern Point\n"), 0o644); err != nil {
		return err
	}
	if err := os.Truncate(path, size); err != nil {
		return err
	}
	return os.Chtimes(path, moment, moment)
}

func record(ctx context.Context, l *ledger.Ledger, folder string, moment time.Time) error {
	place, err := live.Open(folder, 0)
	if err != nil {
		return err
	}
	host, err := os.Hostname()
	if err != nil {
		return err
	}
	r := ledger.Record{Label: "weekly", Host: host, Place: place.Place().Full, Taken: moment}
	taken, report, err := recording.Take(ctx, l, &source.Set{Sources: []source.Source{place}}, source.Request{Depth: source.AllDepths}, r)
	if err != nil {
		return err
	}
	_, _, err = recording.Write(ctx, l, r, taken, report, recording.Options{})
	return err
}
