package outline

import (
	"context"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Answer has outlines of places.
type Answer struct {
	Nodes     []*Node
	Matched   sums.Sum
	Elsewhere sums.Sum // names that were counted with another name of the same file
	Report    source.Report
	Stopped   bool // before all was read: the answer is of what was
}

// Run outlines places. Of the request, depth and hidden are the plan's. If it is stopped in between, it answers with
// what was found so far, together with the context's error.
func Run(ctx context.Context, from *source.Set, request source.Request, plan Plan) (*Answer, error) {
	plan.Depth, plan.Hidden = request.Depth, request.Hidden
	request.Facts = plan.Order.Needs() | entry.FactStatus
	if !plan.FoldersOnly {
		request.Facts |= entry.FactTarget
	}
	plan.Chosen = request.Condition != nil
	builder := NewBuilder(plan)
	counter := sums.NewCounter(source.Nowhere)
	counted := source.Sink(counter)
	if plan.Chosen {
		counted = source.Only(source.Chosen, counter)
	}
	request = request.Marked(entry.FactStatus)
	answer := &Answer{}
	var stopped error
	if answer.Report, stopped = from.Read(ctx, request, source.Both(builder, counted)); stopped != nil && ctx.Err() == nil {
		return nil, stopped
	}
	var places []*entry.Place
	for _, s := range from.Sources {
		places = append(places, s.Place())
	}
	var err error
	if answer.Nodes, err = builder.Outline(places, answer.Report.Problems); err != nil {
		return nil, err
	}
	answer.Matched, answer.Elsewhere, answer.Stopped = counter.Sum(), builder.Totals().Elsewhere(), stopped != nil
	answer.Report.Hidden = builder.Hidden()
	return answer, stopped
}
