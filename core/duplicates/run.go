package duplicates

import (
	"context"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/source"
	"frankledger/core/weigh"
)

// Run finds the files of places that have the same content or, with OnlyIn, those of one
// place whose content is in no other.
func Run(ctx context.Context, from *source.Set, request source.Request, pool *digest.Pool, o Options) (*Answer, error) {
	collector := arrange.NewCollector(arrange.Order{}, nil, 0)
	counter := weigh.NewCounter(collector)
	digested := ledger.NewDigested(counter, o.Algorithm.Fact)
	request.Facts, request.Through = entry.FactStatus, true
	report, err := from.Read(ctx, request, Files(digested))
	if err != nil {
		return &Answer{Report: report}, err
	}
	report.Problems = append(report.Problems, digested.Problems(o.Algorithm.Name)...)
	find := Find
	if o.OnlyIn != nil {
		find = OnlyIn
	}
	answer, err := find(ctx, collector, pool, o)
	if err != nil {
		return &Answer{Report: report}, err
	}
	report.Problems = append(report.Problems, answer.Problems...)
	report.SortProblems()
	answer.Matched, answer.Report = counter.Sum(), report
	return answer, nil
}
