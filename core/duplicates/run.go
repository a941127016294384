package duplicates

import (
	"context"
	"errors"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger/replay"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Run finds the files of places that have the same content or, with OnlyIn, those of one
// place whose content is in no other.
func Run(ctx context.Context, from *source.Set, request source.Request, pool *digest.Pool, o Options) (*Answer, error) {
	collector := arrange.NewCollector(arrange.Order{}, nil, 0)
	var others *arrange.Collector
	counter := sums.NewCounter(collector)
	digested := replay.NewDigested(counter, o.Algorithm.Fact)
	request.Facts, request.Through = request.Facts&entry.FactCreated|entry.FactStatus, true
	sink := Files(digested)
	if o.Folders != NoFolders && o.OnlyIn == nil && Whole(from.Sources, &request) {
		others = arrange.NewCollector(arrange.Order{}, nil, 0)
		sink = apart{digested, others, o.Algorithm.Fact}
		request.Self = true
		request.Facts |= entry.FactTarget
		request.Aside |= entry.FactTarget
	}
	unsized := &unsized{next: sink}
	report, err := from.Read(ctx, request, unsized)
	unsized.tell(&report)
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

// unsized is a sink that counts the files whose size is not known, which are not compared: what the
// system makes up as it is read may be another content each time, and have no end.
type unsized struct {
	next  source.Sink
	parts source.Parts[map[*entry.Place]int64]
}

// Visitor implements source.Sink.
func (u *unsized) Visitor() source.Visitor {
	next, part := u.next.Visitor(), u.parts.New(map[*entry.Place]int64{})
	return func(entries []entry.Entry) error {
		for i := range entries {
			if e := &entries[i]; e.Kind == entry.KindFile && !e.HasSize() {
				(*part)[e.Folder.Place]++
			}
		}
		return next(entries)
	}
}

// tell adds them to a report.
func (u *unsized) tell(report *source.Report) {
	counts := map[*entry.Place]int64{}
	for _, part := range u.parts.All() {
		for place, n := range *part {
			counts[place] += n
		}
	}
	for place, n := range counts {
		report.Problems = append(report.Problems, source.Problem{Path: place.Given, Tried: "compare the content in", Err: errUnsized, Entries: n})
	}
}

var errUnsized = errors.New("the size of these files is not known")
