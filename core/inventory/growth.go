package inventory

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/replay"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/weigh"
)

// Earlier are records of the places that stock is taken of.
type Earlier struct {
	Ledger *ledger.Ledger
	Host   string       // this one
	Terms  ledger.Terms // that stock is taken on
	Plan   weigh.Plan   // which changes since the last record to tell
}

// Growth is how a place has changed over its records.
type Growth struct {
	Place   *entry.Place
	Below   string          // its path from the place that was recorded
	Points  []Point         // the oldest first; the last is what stock was taken of
	Folders []*entry.Folder // the fastest-growing, none of them in another
	Last    *ledger.Record  // before what stock was taken of; nil for none
	Since   *weigh.Grown    // that record
	Records int             // how many there are, of which the points may be some
	Others  int             // records on other terms
}

// Point is what there was at a moment.
type Point struct {
	Taken   time.Time
	Record  int64 // 0 for now
	Whole   Amount
	Folders []Amount // of the growth
	turn    int64
}

// Amount is how much something weighed, if it was there and was read.
type Amount struct {
	Sum   sums.Sum
	State replay.Presence
}

// What is told of growth: of so many records at most, and so many folders.
const (
	mostPoints  = 60
	mostFolders = 10
	// mostlyOne is the part of the growth of a folder from which on a folder in it stands for
	// it.
	mostlyOne = 0.8
)

// growth tells how a place has changed over its records.
func (e *Earlier) growth(ctx context.Context, from source.Source, totals *sums.Totals, by sums.Measure) (*Growth, error) {
	place := from.Place()
	g := &Growth{Place: place}
	host, path, terms, now := e.Host, cmp.Or(place.Real, place.Full), e.Terms, int64(0)
	taken, turn := time.Time{}, int64(0)
	if r, is := ledger.SourceRecord(from); is {
		host, terms, now, taken, turn = r.Host, r.Terms, r.Number, r.Taken, r.Turn
	}
	records, below, others, err := replay.SeriesOf(ctx, e.Ledger, host, path, terms)
	if err != nil {
		return nil, err
	}
	if now > 0 {
		records = slices.DeleteFunc(records, func(r ledger.Record) bool { return r.Turn >= turn })
	}
	g.Below, g.Records, g.Others = below, len(records), others
	if len(records) == 0 {
		return g, nil
	}
	root := totals.Root(place, nil)
	last := records[len(records)-1]
	g.Last = &last
	var paths []string
	err = replay.EachWeights(ctx, e.Ledger, some(records), func(r ledger.Record, w *replay.Weights) error {
		if g.Points == nil {
			g.Folders = fastest(totals, root, below, w, by)
			for _, f := range g.Folders {
				paths = append(paths, joined(below, f.Relative()))
			}
		}
		p := Point{Taken: r.Taken, Record: r.Number, turn: r.Turn, Whole: amount(w, below)}
		for _, path := range paths {
			p.Folders = append(p.Folders, amount(w, path))
		}
		g.Points = append(g.Points, p)
		return nil
	})
	if err != nil {
		return nil, err
	}
	p := Point{Taken: taken, Record: now, Whole: Amount{totals.Of(root), replay.There}}
	for _, f := range g.Folders {
		p.Folders = append(p.Folders, Amount{totals.Of(f), replay.There})
	}
	whole := g.Points[len(g.Points)-1].Whole.State == replay.There
	slices.SortStableFunc(g.Points, func(a, b Point) int { return cmp.Compare(a.turn, b.turn) })
	g.Points = append(g.Points, p)
	if !whole || len(terms.Where) > 0 { // else what met a condition at one of them only would be taken for gone
		return g, nil
	}
	return g, e.since(ctx, g, below, totals)
}

// since tells what has changed since the last record.
func (e *Earlier) since(ctx context.Context, g *Growth, below string, totals *sums.Totals) error {
	before, err := replay.SourceOf(ctx, e.Ledger, *g.Last, below, g.Place.Given, g.Place.Index)
	if err != nil {
		return err
	}
	earlier := sums.NewTotals(source.Nowhere)
	request := source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}
	if _, err := before.Read(ctx, request, earlier); err != nil {
		return err
	}
	g.Since = weigh.Hold(earlier, totals, before.Place(), g.Place, e.Plan)
	return nil
}

func amount(w *replay.Weights, path string) Amount {
	sum, state := w.Of(path)
	return Amount{sum, state}
}

// joined is the path of what lies in a folder.
func joined(folder, below string) string {
	if folder == "" {
		return below
	}
	return strings.TrimSuffix(folder+"/"+below, "/")
}

// Before is the last record as a place is named.
func (g *Growth) Before() string {
	return joined("@"+strconv.FormatInt(g.Last.Number, 10), g.Below)
}

// some returns no more records than are told of, evenly, with the first and the last.
func some(records []ledger.Record) []ledger.Record {
	if len(records) <= mostPoints {
		return records
	}
	chosen := make([]ledger.Record, mostPoints)
	for i := range chosen {
		chosen[i] = records[i*(len(records)-1)/(mostPoints-1)]
	}
	return chosen
}

// fastest returns the folders that have grown most since a record. One in which most of the
// growth is in one folder is left for that.
func fastest(totals *sums.Totals, root *entry.Folder, below string, first *replay.Weights, by sums.Measure) []*entry.Folder {
	type grown struct {
		folder *entry.Folder
		more   int64
	}
	more := func(f *entry.Folder) int64 {
		was, state := first.Of(joined(below, f.Relative()))
		is := totals.Of(f)
		if state == replay.NotRead || f.Unread() {
			return 0 // what it weighed is not known
		}
		return by.Of(&is) - by.Of(&was)
	}
	greatest := func(f *entry.Folder) (list []grown) {
		for _, in := range totals.Below(f) {
			if n := more(in); n > 0 {
				list = append(list, grown{in, n})
			}
		}
		slices.SortFunc(list, func(a, b grown) int {
			return cmp.Or(cmp.Compare(b.more, a.more), cmp.Compare(a.folder.Name, b.folder.Name))
		})
		return list
	}
	list := greatest(root)
	var folders []*entry.Folder
	for _, g := range list[:min(len(list), mostFolders)] {
		for {
			in := greatest(g.folder)
			if len(in) == 0 || float64(in[0].more) < mostlyOne*float64(g.more) {
				break
			}
			g = in[0]
		}
		folders = append(folders, g.folder)
	}
	return folders
}
