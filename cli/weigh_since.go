package cli

import (
	"context"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/core/ledger"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/core/weigh"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
)

// weighSince answers with what has become heavier or lighter since a place was recorded, or
// than another place.
func (p *Program) weighSince(cmd *cobra.Command, r *reading, o *weighOptions, plan *weigh.Plan, args []string) error {
	for _, name := range []string{"explain", "largest", "heaviest"} {
		if cmd.Flags().Changed(name) {
			return misuse("--since and --%s contradict each other: --since is about folders, before and now", name)
		}
	}
	if plan.AtLeastShare > 0 {
		return misuse("--since and --at-least %s contradict each other: a change is no share of the whole; give a size", o.atLeast)
	}
	if r.form.Paths {
		return misuse("--since and --as %s contradict each other: a path does not tell how much changed", r.form.Name)
	}
	r, sources, summary, err := p.openSince(cmd.Context(), r, &o.reading, o.since, args)
	if err != nil {
		return err
	}
	return p.answer(r, summary, func(w output.Destination) error {
		a, err := ask(p, r, func(request source.Request) (*weigh.Grown, error) {
			return weigh.Since(cmd.Context(), &source.Set{Sources: sources[:1]}, p.set(r, sources[1:]), weigh.Options{Request: request, Plan: *plan, Context: r.view.Context})
		})
		if err != nil {
			return err
		}
		summary.Report.Add(a.Report)
		summary.Report.SortProblems()
		summary.Grouped = true
		r.view.GrowthSummary(summary, a, plan)
		return render.All(w, render.New(r.form, r.view.View, report.GrowthColumns(plan)), row.List[*weigh.Growth](a.Rows), r.view.Frame(summary))
	})
}

// openSince opens the place that --since names, and the one that is held against it: the one
// that is named, or what is there now of what was recorded.
func (p *Program) openSince(ctx context.Context, r *reading, o *readingOptions, since string, args []string) (*reading, []source.Source, *report.Summary, error) {
	places, words, has := splitWhere(args)
	if len(places) > 1 {
		return nil, nil, nil, misuse("--since is about one place: name one, or none for the one that was recorded")
	}
	given := append([]string{since}, places...)
	if len(places) == 0 && !strings.HasPrefix(since, recordMark) {
		given = append(given, ".")
	}
	if has {
		given = slices.Concat(given, []string{whereWord}, words)
	}
	r.view.Lettered = true
	sources, summary, err := p.open(ctx, r, given, true)
	if err != nil {
		return nil, nil, nil, err
	}
	if len(summary.Report.Problems) > 0 {
		return nil, nil, nil, misuse("%s: %w", render.Escaped(summary.Report.Problems[0].Path), summary.Report.Problems[0].Err)
	}
	if recorded, is := sources[0].(*ledger.Source); is && len(sources) == 1 {
		if r, sources, err = p.againstNow(r, o, recorded, has); err != nil {
			return nil, nil, nil, err
		}
	}
	if len(sources) != 2 {
		return nil, nil, nil, misuse("--since is about one place; %s are more", everyRecord)
	}
	return r, sources, summary, nil
}
