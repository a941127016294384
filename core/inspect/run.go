package inspect

import (
	"context"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Run makes cards of places themselves.
func Run(ctx context.Context, from *source.Set, request source.Request, o Options) (cards []*Card, report source.Report, err error) {
	request.Facts, request.Depth = Facts, 0
	for _, s := range from.Sources {
		var mu sync.Mutex
		var entries []*entry.Entry
		read, err := s.Read(ctx, request, source.SinkFunc(func() source.Visitor {
			return func(found []entry.Entry) error {
				mu.Lock()
				defer mu.Unlock()
				for _, e := range found {
					e.More = e.More.Clone()
					entries = append(entries, &e)
				}
				return nil
			}
		}))
		report.Add(read)
		if err != nil {
			return nil, report, err
		}
		for _, e := range entries {
			card, read, err := Look(ctx, s, e, o)
			report.Add(read)
			if err != nil {
				return nil, report, err
			}
			cards = append(cards, card)
		}
	}
	return cards, report, nil
}
