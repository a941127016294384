package tally

import (
	"context"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Options say what to count by.
type Options struct {
	Request    source.Request
	Dimensions []*Dimension
	Context    *entry.Context
}

// Answer is the groups, and what was put into them.
type Answer struct {
	*Tally
	Matched sums.Sum
	Report  source.Report
	Stopped bool // before all was read: the answer is of what was
}

// Run counts entries in groups. If it is stopped in between, it answers with what was counted so far, together with
// the context's error.
func Run(ctx context.Context, from *source.Set, o Options) (*Answer, error) {
	answer := &Answer{Tally: New(o.Dimensions, o.Context)}
	request := o.Request
	request.Facts = answer.Needs()
	counter := sums.NewCounter(answer.Tally)
	var err error
	if answer.Report, err = from.Read(ctx, request, counter); err != nil && ctx.Err() == nil {
		return nil, err
	}
	answer.Matched, answer.Stopped = counter.Sum(), err != nil
	return answer, err
}
