package checksum

import (
	"context"
	"slices"
	"strings"

	"frankledger/core/arrange"
	"frankledger/core/digestlist"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// ListOf makes a list of the digests that are known of the files of a source that
// was recorded, and returns the paths of those that have none.
func ListOf(ctx context.Context, s source.Source) (list *digestlist.List, without map[string]bool, report source.Report, err error) {
	collected := arrange.NewCollector(arrange.Order{}, nil, 0)
	if report, err = s.Read(ctx, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, collected); err != nil {
		return nil, nil, report, err
	}
	list, without = &digestlist.List{}, map[string]bool{}
	collected.Each(func(e *entry.Entry) {
		if e.Kind != entry.KindFile {
			return
		}
		fact := e.FirstDigest()
		if fact == 0 {
			without[e.Relative()] = true
			return
		}
		at := slices.IndexFunc(entry.Algorithms, func(a entry.Algorithm) bool { return a.Fact == fact })
		list.Lines = append(list.Lines, digestlist.Line{Name: e.Relative(), Size: e.Size, Digest: digestlist.Digest{Hex: e.More.Digests.By(fact), Algorithms: entry.Algorithms[at : at+1]}})
	})
	slices.SortFunc(list.Lines, func(a, b digestlist.Line) int { return strings.Compare(a.Name, b.Name) })
	return list, without, report, nil
}
