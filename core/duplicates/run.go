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
	var others *arrange.Collector
	counter := weigh.NewCounter(collector)
	digested := ledger.NewDigested(counter, o.Algorithm.Fact)
	request.Facts, request.Through = request.Facts&entry.FactCreated|entry.FactStatus, true
	sink := Files(digested)
	if o.Folders != NoFolders && o.OnlyIn == nil && Whole(from.Sources, &request) {
		others = arrange.NewCollector(arrange.Order{}, nil, 0)
		sink = apart{digested, others, o.Algorithm.Fact}
		request.Self = true
		request.Facts |= entry.FactTarget
		request.Aside |= entry.FactTarget
	}
	report, err := from.Read(ctx, request, sink)
	if err != nil {
		return &Answer{Report: report}, err
	}
	report.Problems = append(report.Problems, digested.Problems(o.Algorithm.Name)...)
	var answer *Answer
	if o.OnlyIn != nil {
		answer, err = OnlyIn(ctx, collector, pool, o)
	} else {
		answer, err = Find(ctx, collector, others, pool, o)
	}
	if err != nil {
		return &Answer{Report: report}, err
	}
	report.Problems = append(report.Problems, answer.Problems...)
	report.SortProblems()
	answer.Matched, answer.Report = counter.Sum(), report
	return answer, nil
}
