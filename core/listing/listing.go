// Package listing lists entries: in an order, or as they are found.
package listing

import (
	"context"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Options say what to list.
type Options struct {
	Request source.Request
	Order   arrange.Order
	First   int // how many at most; 0 for all
	Context *entry.Context
	// Totals gives folders the size of all that they hold, listed or not.
	Totals bool
	// Stream takes the entries as they are found, instead of the order.
	Stream source.Sink
}

// Answer is what there is.
type Answer struct {
	Entries *arrange.Arranged // in order; nil if they went to the stream
	Matched sums.Sum          // of what is listed, or would be but for First
	Totals  *sums.Sum         // of all below the places or, with a condition, in what is listed; if it was asked for
	// Elsewhere are names of files that were counted with another name, in these.
	Elsewhere *sums.Sum
	Report    source.Report
}

// Run lists the entries of places. On an error, the answer has the report so far.
func Run(ctx context.Context, from *source.Set, o Options) (*Answer, error) {
	answer, request := &Answer{}, o.Request
	collector := arrange.NewCollector(o.Order, o.Context, o.First)
	var sink source.Sink = collector
	if o.Stream != nil {
		sink = o.Stream
	}
	counter := sums.NewCounter(sink)
	sink = counter
	var visible *arrange.Visible
	var totals *sums.Totals
	if o.Totals {
		shown, newTotals := source.Sink(counter), sums.NewTotals
		if request.Condition != nil {
			shown, newTotals = source.Only(source.Chosen, counter), sums.NewTotalsOf
		}
		visible = arrange.NewVisible(shown, request)
		totals = newTotals(visible)
		collector.Amend(totals.Amend)
		sink = totals
		request = request.Marked(entry.FactStatus)
	}
	var err error
	if answer.Report, err = from.Read(ctx, request, sink); err != nil {
		answer.Matched = counter.Sum() // of what a stream was given
		return answer, err
	}
	if o.Totals {
		answer.Report.Hidden += visible.Hidden()
		for _, s := range from.Sources {
			totals.Root(s.Place(), answer.Report.Problems) // which counts also where nothing of it could be read
		}
		all := totals.All()
		again := totals.Elsewhere()
		answer.Totals, answer.Elsewhere = &all, &again
	}
	answer.Matched = counter.Sum()
	if o.Stream == nil {
		answer.Entries = collector.Arrange()
	}
	return answer, nil
}
