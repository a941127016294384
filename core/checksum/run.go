package checksum

import (
	"context"
	"strings"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger/replay"
	"frankledger/core/source"
)

// Options say what to take digests of.
type Options struct {
	Request    source.Request
	Algorithms []entry.Algorithm
	Own        *OwnList // the list that the digests go to, which is not on itself; may be nil
}

// Run takes the digests of the files of places, in order of their paths. Recorded files
// without digests are left out, and told among the problems, as is what is no file and
// was named itself. On an error, the answer has the report so far.
func Run(ctx context.Context, from *source.Set, pool *digest.Pool, o Options) (*Answer, error) {
	collector := arrange.NewCollector(arrange.Order{}, nil, 0)
	var wanted entry.Facts
	var names []string
	for _, a := range o.Algorithms {
		wanted |= a.Fact
		names = append(names, a.Name)
	}
	digested := replay.NewDigested(collector, wanted)
	request := o.Request
	request.Facts, request.Through = entry.FactStatus, true
	report, err := from.Read(ctx, request, digested)
	if err != nil {
		return &Answer{Report: report}, err
	}
	report.Problems = append(report.Problems, digested.Problems(strings.Join(names, " and "))...)
	arranged := collector.Arrange()
	var files []*entry.Entry
	for i := range arranged.Len() {
		switch e := arranged.At(i); {
		case e.Kind == entry.KindFile && (o.Own == nil || !o.Own.is(e)):
			files = append(files, e)
		case e.Self && e.Kind != entry.KindFile && e.Kind != entry.KindFolder:
			report.Problems = append(report.Problems, source.Problem{Path: e.Path(), Tried: "read", Err: digest.NoFile{Kind: e.Kind}, Entries: 1})
		}
	}
	a, err := Take(ctx, files, pool, o.Algorithms)
	if err != nil {
		return &Answer{Report: report}, err
	}
	report.Problems = append(report.Problems, pool.Problems()...)
	report.SortProblems()
	a.Report = report
	return a, nil
}
