// Package inventory takes stock of places: everything that a report shows, in one reading. A second reading looks at
// the content of files, and what there was before comes from records.
package inventory

import (
	"context"
	"slices"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/tally"
	"frankledger/core/weigh"
)

// Options say what to take stock of.
type Options struct {
	Request source.Request
	Context *entry.Context
	By      sums.Measure // what folders are weighed by
	First   int          // how many of the newest and of the largest files to tell
	Folders int          // how many of the heaviest folders
	// Content has files looked into as well: whether they are what their names say, and
	// which have the same content.
	Content bool
	Copies  duplicates.Options
	Pool    *digest.Pool
	Earlier *Earlier // records of the places; nil for none
}

// Answer is what there is.
type Answer struct {
	Sum       sums.Sum     // of all places; what lies in several is in each
	Elsewhere sums.Sum     // names that were counted with another name of the same file
	Overlap   bool         // a place lies in another
	Map       []*weigh.Row // folders, at any depth, that can be seen on a map
	Heaviest  []*weigh.Row // the places, and the heaviest folders directly in them
	Exts      *tally.Tally // of files, like those below
	Ages      *tally.Tally
	Sizes     *tally.Tally
	Newest    []*entry.Entry
	Largest   []*weigh.Row // files
	Concerns  []Concern
	Copies    *duplicates.Answer // with Content
	Growth    []*Growth          // of the places of which there are records
	Report    source.Report
}

// Run takes stock of places.
func Run(ctx context.Context, from *source.Set, o Options) (*Answer, error) {
	a := &Answer{}
	request := o.Request
	request.Facts, request.Depth = entry.FactStatus|entry.FactReach, source.AllDepths
	request.Aside |= entry.FactReach
	if o.Content {
		request.Facts |= entry.FactContent
	}
	group := func(word string) *tally.Tally {
		dimensions, err := tally.ParseDimensions(word, nil)
		if err != nil {
			panic(err) // these can be grouped by
		}
		return tally.New(dimensions, o.Context)
	}
	a.Exts, a.Ages, a.Sizes = group("ext"), group("age"), group("size")
	newest := arrange.NewCollector(order("modified"), o.Context, o.First)
	largest := weigh.NewLargest(source.Nowhere, o.First, 0, OfFiles(o.By), o.Context)
	files := source.Only(isFile, source.Both(source.Both(a.Exts, a.Ages), source.Both(a.Sizes, newest)))
	look := newLook(&request, running(from.Sources), o.Context)
	totals := sums.NewTotals(source.Both(source.Both(largest, look), files))
	var err error
	if a.Report, err = from.Read(ctx, request, totals); err != nil {
		return nil, err
	}
	if err := largest.Settle(totals); err != nil {
		return nil, err
	}
	var roots []*entry.Folder
	for _, s := range from.Sources {
		roots = append(roots, totals.Root(s.Place(), a.Report.Problems))
	}
	a.Sum, a.Elsewhere, a.Overlap = totals.All(), totals.Elsewhere(), weigh.Overlap(roots)
	rows := func(plan weigh.Plan) []*weigh.Row {
		if len(roots) > 1 {
			return plan.Under(totals, roots, nil)
		}
		return plan.Rows(totals, roots[0], nil)
	}
	a.Map = rows(weigh.Plan{By: o.By}.ForMap(source.AllDepths))
	a.Heaviest = rows(weigh.Plan{By: o.By, Depth: 1, First: o.Folders, Direct: true, Total: true})
	a.Largest = weigh.Plan{By: OfFiles(o.By), Heaviest: o.First}.Files(totals, roots, largest)
	a.Newest = all(newest)
	a.Concerns = look.concerns(totals)
	if o.Earlier != nil {
		for _, s := range from.Sources {
			growth, err := o.Earlier.growth(ctx, s, totals, o.By)
			switch {
			case ctx.Err() != nil:
				return nil, ctx.Err()
			case err != nil: // all else is told nevertheless
				a.Report.Problems = append(a.Report.Problems, source.Problem{Path: s.Place().Given, Tried: "read the records of", Err: err, Entries: 1})
			default:
				a.Growth = append(a.Growth, growth)
			}
		}
	}
	if o.Earlier != nil {
		o.Earlier.Ledger.Release()
	}
	if o.Content {
		request := o.Request
		request.Depth = source.AllDepths
		if a.Copies, err = duplicates.Run(ctx, from, request, o.Pool, o.Copies); err != nil {
			return nil, err
		}
		a.Report.Problems = append(a.Report.Problems, newProblems(a.Report.Problems, a.Copies.Report.Problems)...)
		a.Report.SortProblems()
	}
	return a, nil
}

// newProblems returns those that are not among others: the second reading meets most of the
// first again.
func newProblems(known, problems []source.Problem) (added []source.Problem) {
	type problem struct{ path, tried string }
	there := map[problem]bool{}
	for _, p := range known {
		there[problem{p.Path, p.Tried}] = true
	}
	for _, p := range problems {
		if !there[problem{p.Path, p.Tried}] {
			added = append(added, p)
		}
	}
	return added
}

// running reports whether sources are folders of a running system.
func running(sources []source.Source) bool {
	return !slices.ContainsFunc(sources, func(s source.Source) bool { return !s.Capabilities().Content || !s.Capabilities().Below })
}

func order(words string) arrange.Order {
	order, err := arrange.ParseOrder(words)
	if err != nil {
		panic(err) // these are fields
	}
	return order
}

func all(c *arrange.Collector) (list []*entry.Entry) {
	arranged := c.Arrange()
	for i := range arranged.Len() {
		list = append(list, arranged.At(i))
	}
	return list
}

// OfFiles is what files are weighed by where folders are by something: by their number, that is by
// size, as each is one.
func OfFiles(by sums.Measure) sums.Measure {
	if by == sums.ByFiles {
		return sums.BySize
	}
	return by
}

func isFile(e *entry.Entry) bool { return e.Kind == entry.KindFile && !e.Self }
