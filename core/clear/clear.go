// Package clear makes a plan of what duplicates finds: which spares go, and what stays of
// each.
package clear

import (
	"context"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// Options say which spares.
type Options struct {
	duplicates.Options
	From *entry.Place // only those in this place, which is the last of all; nil for any
}

// Run finds the spares in some places, and plans to clear them.
func Run(ctx context.Context, from *source.Set, request source.Request, pool *digest.Pool, o Options, p *doing.Planner) (*act.Planned, error) {
	o.Across = o.Across || o.From != nil
	request.Facts |= entry.FactCreated
	found, err := duplicates.Run(ctx, from, request, pool, o.Options)
	planned := &act.Planned{Report: found.Report}
	if err != nil {
		return planned, err
	}
	var spares []*entry.Entry
	keepers := map[*entry.Entry]*entry.Entry{}
	for _, s := range found.ToClear() {
		if o.From == nil || s.Entry.Folder.Place == o.From {
			spares = append(spares, s.Entry)
			keepers[s.Entry] = s.Keeper
		}
	}
	planned.Plan, err = act.PlanClearing(ctx, p, spares, keepers)
	return planned, err
}
