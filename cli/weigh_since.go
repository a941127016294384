package cli

import (
	"cmp"
	"context"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/condition"
	"frankledger/core/ledger"
	"frankledger/core/row"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/core/weigh"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
)

// weighSince answers with what has become heavier or lighter since a place was recorded, or
// than another place.
func (p *Program) weighSince(cmd *cobra.Command, r *question, o *weighOptions, plan *weigh.Plan, limit weigh.Limit, args []string) error {
	if plan.AtLeastShare > 0 {
		return usage.MisuseOf("since", "--since and --at-least %s contradict each other: a change is not a share of the whole; give a size", o.atLeast)
	}
	before, after, summary, err := p.openSince(cmd.Context(), r, o.since, args)
	if err != nil {
		return err
	}
	if len(before.Sources)+len(after.Sources) != 2 {
		return usage.MisuseOf("since", "--since compares the folders of one place: name one machine, such as @LABEL@%s; frank tally --by host --since compares machines", cmp.Or(hostOf(before.Sources[0]), place.ThisHost()))
	}
	passed := false
	err = p.answer(r, summary, func(w output.Destination) error {
		a, err := ask(p, r, func(request source.Request) (*weigh.Grown, error) {
			return weigh.Since(cmd.Context(), before, after, weigh.Options{Request: request, Plan: *plan, Context: r.view.Context})
		})
		if err != nil {
			return err
		}
		r.view.HeldSummary(summary, a.Held)
		summary.Matched, summary.Bytes, summary.Grouped = a.After, true, true
		r.view.GrowthSummary(summary, a, plan)
		if passed = limit.Passed(plan.By.Of(&a.Before), plan.By.Of(&a.After)); passed {
			summary.Notes = append(summary.Notes, "it grew by more than "+typeset.Escaped(limit.String()))
		}
		return render.All(w, render.New(r.form, r.view.View, report.GrowthColumns(plan)), row.List[*weigh.Growth](a.Rows), r.view.Frame(summary))
	})
	return different(passed, err)
}

// openSince opens the place that --since names, and the one that is held against it: the one that is
// named, or what is there now of what was recorded. With --host, both are of these machines.
func (p *Program) openSince(ctx context.Context, r *question, since string, args []string) (before, after *sides.Side, summary *report.Summary, err error) {
	r.relative, r.view.Subject = true, "What grew, and what shrank"
	places, words, has := usage.SplitWhere(args)
	if since, err = p.recordSince(ctx, r, since, places); err != nil {
		return nil, nil, nil, err
	}
	if r.hosts.Given && len(places) > 0 {
		return p.openSinceOn(ctx, r, since, places, args)
	}
	if len(places) > 1 {
		return nil, nil, nil, usage.Repaired(usage.MisuseOf("since", "--since compares one place: name one, or none for the place that was recorded"), p.args.WithOnly(places)...)
	}
	given := append([]string{since}, places...)
	if len(places) == 0 && !strings.HasPrefix(since, usage.RecordMark) {
		given = append(given, ".")
	}
	if has {
		given = slices.Concat(given, []string{usage.Where}, words)
	}
	r.view.Lettered = true
	sources, summary, err := p.open(ctx, r, given, place.OfAFolder)
	if err != nil {
		return nil, nil, nil, err
	}
	if len(summary.Report.Problems) > 0 {
		return nil, nil, nil, usage.Misuse("%s: %w", typeset.Escaped(summary.Report.Problems[0].Path), summary.Report.Problems[0].Err)
	}
	if recorded, is := sources[0].(ledger.Recorded); is && len(sources) == 1 {
		if sources, err = againstNow(r, recorded); err != nil {
			return nil, nil, nil, err
		}
	}
	if len(sources) != 2 {
		return nil, nil, nil, usage.MisuseOf("since", "--since compares one place, not several: %s", place.EveryRecord)
	}
	return p.sidesOf(r, summary, sources[:1], sources[1:])
}

// recordSince is the place that --since names: a moment stands for the newest record of what is asked about that was
// there then, under whatever label.
func (p *Program) recordSince(ctx context.Context, r *question, since string, places []string) (string, error) {
	if usage.IsMarked(since) || there(since) || len(places) > 1 {
		return since, nil
	}
	from, to, err := condition.ParsePeriod(since, r.view.Context.AsOf, r.view.Zone)
	if err != nil {
		return since, nil // it is said that there is no such place
	}
	if to.Equal(from) {
		to = to.Add(1)
	}
	given := "."
	if len(places) == 1 {
		given = places[0]
	}
	if usage.IsMarked(given) {
		return "", usage.Repaired(usage.MisuseOf("since", "--since %s compares with what is there now; for a record, write the label too", typeset.Escaped(since)),
			p.args.Instead(since, strings.SplitN(given, ":", 2)[0]+":"+since))
	}
	full, err := filepath.Abs(given)
	if err != nil {
		return "", err
	}
	l, err := p.ledgers.ToRead(ctx, r.ledger, r.hosts)
	if err != nil {
		return "", err
	}
	records, err := l.Records(ctx)
	if err != nil {
		return "", place.LedgerTrouble(p.ledgers.Path, err)
	}
	var best, oldest *ledger.Record
	for i := range records {
		one := &records[i]
		if one.Host != place.ThisHost() || one.Place != full && !strings.HasPrefix(full, strings.TrimSuffix(one.Place, "/")+"/") {
			continue
		}
		if oldest == nil || ledger.ByTurn(*one, *oldest) < 0 {
			oldest = one
		}
		if one.Taken.Before(to) && (best == nil || len(one.Place) > len(best.Place) || len(one.Place) == len(best.Place) && ledger.ByTurn(*one, *best) > 0) {
			best = one
		}
	}
	in := func(r *ledger.Record) string {
		at := usage.RecordMark + strconv.FormatInt(r.Number, 10)
		if below := strings.TrimPrefix(strings.TrimPrefix(full, r.Place), "/"); below != "" {
			at += "/" + below
		}
		return at
	}
	switch {
	case oldest == nil:
		return "", usage.Repaired(usage.MisuseOf("since", "--since %s: there is no record of %s; frank record makes one", typeset.Escaped(since), typeset.Escaped(full)), []string{"record", given, "--label", "weekly"})
	case best == nil:
		at := in(oldest)
		return "", usage.Repaired(usage.MisuseOf("since", "--since %s: no record of %s is that old; the oldest is %s, taken %s", typeset.Escaped(since), typeset.Escaped(full), at, oldest.Taken.In(r.view.Zone).Format("2006-01-02 15:04")),
			p.args.Instead(since, at))
	}
	return in(best), nil
}

// openSinceOn opens the records of several machines, before and since. It leaves out a machine that has only
// one of the two records, as it is not known how much that machine grew.
func (p *Program) openSinceOn(ctx context.Context, r *question, since string, places, args []string) (before, after *sides.Side, summary *report.Summary, err error) {
	was, summary, err := p.open(ctx, r, append([]string{since}, args[len(places):]...), place.OfAFolder)
	if err != nil {
		return nil, nil, nil, err
	}
	problems, recordedThen := summary.Report.Problems, hostsOf(was, r.without)
	r.notes = nil // those of now are told
	is, summary, err := p.open(ctx, r, args, place.OfAFolder)
	if err != nil {
		return nil, nil, nil, err
	}
	summary.Report.Problems = append(problems, summary.Report.Problems...)
	recordedNow := hostsOf(is, r.without)
	was = slices.DeleteFunc(was, func(s source.Source) bool { return !recordedNow[hostOf(s)] })
	is = slices.DeleteFunc(is, func(s source.Source) bool { return !recordedThen[hostOf(s)] })
	if len(was) == 0 || len(is) == 0 {
		return nil, nil, nil, usage.Misuse("none of these machines has a record from before and one from now")
	}
	r.view.Lettered, r.view.Before, r.view.Places = true, len(was), nil
	for _, s := range slices.Concat(was, is) {
		r.view.Add(s.Place())
	}
	before, after, summary, err = p.sidesOf(r, summary, was, is)
	if err == nil {
		before.ByHost = true
	}
	return before, after, summary, err
}

// hostOf returns the machine that recorded a source.
func hostOf(s source.Source) string {
	if recorded := s.Place().Record; recorded != nil {
		return recorded.Host
	}
	return ""
}

// hostsOf returns the machines that have a record: those of the sources, and those whose record does not have
// the path.
func hostsOf(sources []source.Source, without []string) map[string]bool {
	hosts := map[string]bool{}
	for _, s := range sources {
		hosts[hostOf(s)] = true
	}
	for _, host := range without {
		hosts[host] = true
	}
	return hosts
}

// sidesOf puts two sides together.
func (p *Program) sidesOf(r *question, summary *report.Summary, was, is []source.Source) (before, after *sides.Side, _ *report.Summary, err error) {
	scopes := scopesOf(r, summary, slices.Concat(was, is)...)
	return &sides.Side{Set: &source.Set{Sources: was}, Scopes: scopes[:len(was)]}, &sides.Side{Set: p.set(r, is), Scopes: scopes[len(was):]}, summary, nil
}
