package weigh

import (
	"context"
	"errors"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Options say what to weigh.
type Options struct {
	Request source.Request
	Plan    Plan
	Explain string // a folder to tell what was added up for; "" for none
	Context *entry.Context
}

// Answer is how heavy folders are, or what was added up for one.
type Answer struct {
	Rows      []*Row
	Addends   []*Addend // with Explain
	Matched   sums.Sum  // of all that was weighed, or that the folder to explain holds
	Elsewhere sums.Sum  // names that were counted with another name of the same file
	Report    source.Report
	Stopped   bool // before all was read: the answer is of what was
	Overlap   bool // a place lies in another: what is in both is counted in each
}

// ErrNothing is returned for a folder to explain in which nothing was added up.
var ErrNothing = errors.New("nothing was added up")

// Run weighs places. If it is stopped in between, it answers with what was summed up so far, together with the
// context's error.
func Run(ctx context.Context, from *source.Set, o Options) (*Answer, error) {
	request := o.Request
	request.Facts, request.Depth = entry.FactStatus, source.AllDepths
	counter := sums.NewCounter(source.Nowhere)
	var sink source.Sink = counter
	var largest *Largest
	switch {
	case o.Plan.Heaviest > 0:
		largest = NewLargest(sink, o.Plan.Heaviest, 0, o.Plan.By, o.Context)
		sink = largest
	case o.Plan.Largest > 0:
		largest = NewLargest(sink, o.Plan.Largest, o.Plan.Depth, o.Plan.By, o.Context)
		sink = largest
	}
	addends := arrange.NewCollector(arrange.Order{}, o.Context, 0)
	var within *Within
	if o.Explain != "" {
		var err error
		if within, err = NewWithin(o.Explain, addends, sink); err != nil {
			return nil, err
		}
		sink = within
	}
	totals := sums.NewTotals(sink)
	answer := &Answer{}
	var stopped error
	if answer.Report, stopped = from.Read(ctx, request, totals); stopped != nil && ctx.Err() == nil {
		return nil, stopped
	}
	if err := largest.Settle(totals); err != nil {
		return nil, err
	}
	answer.Elsewhere, answer.Matched, answer.Stopped = totals.Elsewhere(), counter.Sum(), stopped != nil
	if within != nil {
		if within.Found() == nil {
			return nil, ErrNothing
		}
		answer.Matched = totals.Of(within.Found())
		answer.Addends = Explain(totals, addends.Arrange(), o.Plan.By)
		answer.Elsewhere = sums.Sum{}
		for _, a := range answer.Addends {
			if a.CountedAs != "" {
				answer.Elsewhere.Files++
				answer.Elsewhere.Add(sums.Sum{Size: a.Entry.Size, Disk: a.Entry.Disk})
			}
		}
		return answer, stopped
	}
	var roots []*entry.Folder
	for _, s := range from.Sources {
		roots = append(roots, totals.Root(s.Place(), answer.Report.Problems))
	}
	answer.Overlap = Overlap(roots)
	switch {
	case o.Plan.Heaviest > 0:
		answer.Rows = o.Plan.Files(totals, roots, largest)
	case o.Plan.Total && len(roots) > 1 && !answer.Overlap:
		answer.Rows = o.Plan.Under(totals, roots, largest)
	default:
		for _, root := range roots {
			answer.Rows = append(answer.Rows, o.Plan.Rows(totals, root, largest)...)
		}
	}
	return answer, stopped
}
