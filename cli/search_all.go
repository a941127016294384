package cli

import (
	"context"
	"errors"
	"slices"
	"strings"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/ledger/replay"
	"frankledger/core/row"
	"frankledger/core/seen"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// everyRecordOf is what stands after the label of a place that is all records of it.
const everyRecordOf = ":all"

// allOf parts a place that is all records of a label into the label and the path below; is tells whether it is one.
func allOf(given string) (label, below string, is bool) {
	words, marked := strings.CutPrefix(given, usage.RecordMark)
	if !marked || strings.HasPrefix(given, usage.ListMark) {
		return "", "", false
	}
	words, below, _ = strings.Cut(words, "/")
	label, is = strings.CutSuffix(words, everyRecordOf)
	return label, strings.Trim(below, "/"), is
}

// searchAll answers with the entries that meet a condition in any record of a label: when they were first and last
// there.
func (p *Program) searchAll(ctx context.Context, r *question, given string) error {
	label, below, _ := allOf(given)
	l, err := p.ledgers.ToRead(ctx, r.ledger, r.hosts)
	if err != nil {
		return err
	}
	all, err := l.Records(ctx)
	if err != nil {
		return place.LedgerTrouble(p.ledgers.Path, err)
	}
	hosts := map[string]bool{}
	all = slices.DeleteFunc(all, func(one ledger.Record) bool {
		if one.Label == label {
			hosts[one.Host] = true
		}
		return one.Label != label
	})
	switch {
	case len(all) == 0:
		_, err := l.Find(ctx, ledger.Reference{Label: label})
		return usage.Misuse("%s: %w", typeset.Escaped(given), err)
	case len(hosts) > 1:
		return usage.MisuseOf("host", "%s are records of %d machines: name one with --host", typeset.Escaped(given), len(hosts))
	}
	slices.SortFunc(all, ledger.ByTurn)
	var records []source.Source
	for i, one := range all {
		s, err := replay.SourceOf(ctx, l, one, below, given, i)
		if errors.Is(err, replay.ErrNoEntry) {
			continue
		}
		if err != nil {
			return place.LedgerTrouble(p.ledgers.Path, err)
		}
		records = append(records, s)
	}
	if len(records) == 0 {
		return usage.Misuse("%s: none of the %d records has %s", typeset.Escaped(given), len(all), typeset.Escaped(below))
	}
	newest := records[len(records)-1]
	r.view.Add(newest.Place())
	summary := &report.Summary{Slips: r.slips, Notes: r.notes, Grouped: true}
	found := false
	err = p.answer(r, summary, func(w output.Destination) error {
		a, err := ask(p, r, func(request source.Request) (*seen.Answer, error) { return seen.Run(ctx, records, request) })
		summary.Report.Add(a.Report)
		if err != nil {
			return err
		}
		gone := 0
		for _, one := range a.Rows {
			if one.Gone != nil {
				gone++
			}
		}
		found = len(a.Rows) > 0
		summary.Lead = units.Count(int64(len(a.Rows)), "entry", "entries") + " in " + units.Count(int64(len(all)), "record", "records") + " of @" + typeset.Escaped(label)
		if gone > 0 {
			summary.Lead += ", of which " + units.Grouped(int64(gone)) + " " + map[bool]string{true: "is", false: "are"}[gone == 1] + " not in the newest"
		}
		rows := a.Rows
		if r.first > 0 && len(rows) > r.first {
			rows = rows[:r.first]
		}
		return render.All(w, render.New(r.form, r.view.View, seen.Columns(r.columns())), row.List[*seen.Row](rows), r.view.Frame(summary))
	})
	return different(r.failIf == 0 && !found || r.failIf == 1 && found, err)
}
