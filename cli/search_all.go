package cli

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strconv"
	"strings"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/entry"
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

// searchAll answers with the entries that meet a condition in any record of a label, or of all: when they were first
// and last there.
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
	of := "in the ledger"
	if label != "" {
		of = "of @" + typeset.Escaped(label)
		all = slices.DeleteFunc(all, func(one ledger.Record) bool { return one.Label != label })
	}
	if len(all) == 0 {
		if label == "" {
			return usage.Misuse("%s: there are no records yet; frank record makes one", typeset.Escaped(given))
		}
		_, err := l.Find(ctx, ledger.Reference{Label: label})
		return usage.Misuse("%s: %w", typeset.Escaped(given), err)
	}
	if slices.ContainsFunc(all, func(one ledger.Record) bool { return one.Host != all[0].Host }) {
		return usage.MisuseOf("host", "%s are records of several machines: name one with --host", typeset.Escaped(given))
	}
	var series [][]seen.Record // of one place each
	for _, same := range placesOf(all) {
		records, newest, err := p.openAll(ctx, r, l, same, below)
		if err != nil {
			return err
		}
		if newest != nil {
			series = append(series, records)
			r.view.Add(newest)
		}
	}
	if len(series) == 0 {
		return usage.Misuse("%s: none of %s has %s", typeset.Escaped(given), units.Count(int64(len(all)), "record", "records"), typeset.Escaped(below))
	}
	summary := &report.Summary{Slips: r.slips, Notes: r.notes, Grouped: true, Chosen: r.program != nil}
	found := false
	err = p.answer(r, summary, func(w output.Destination) error {
		rows, err := ask(p, r, func(request source.Request) (rows []*seen.Row, err error) {
			options := seen.Options{Request: request, Lasting: r.program == nil || r.program.Lasting()}
			for i := 0; i < len(series) && err == nil; i++ {
				var a *seen.Answer
				a, err = seen.Run(ctx, series[i], options)
				rows = append(rows, a.Rows...)
				summary.Report.Add(a.Report)
			}
			return rows, err
		})
		if err != nil {
			return err
		}
		found = len(rows) > 0
		summary.Lead = seenIn(rows, units.Count(int64(len(all)), "record", "records")+" "+of)
		for _, one := range rows {
			summary.Matched.Take(one.Entry)
		}
		if r.first > 0 && len(rows) > r.first {
			rows = rows[:r.first]
			summary.Lead = units.Grouped(int64(len(rows))) + " shown; " + summary.Lead
		}
		return render.All(w, render.New(r.form, r.view.View, seen.Columns(r.columns())), row.List[*seen.Row](rows), r.view.Frame(summary))
	})
	return different(r.failIf == 0 && !found || r.failIf == 1 && found, err)
}

// seenIn says how many entries were found, and how many are there no more.
func seenIn(rows []*seen.Row, in string) string {
	var absent, unread int64
	for _, one := range rows {
		switch one.State {
		case seen.Absent:
			absent++
		case seen.NotRead:
			unread++
		}
	}
	text := units.Count(int64(len(rows)), "entry", "entries") + " in " + in
	if absent > 0 {
		text += ", " + units.Grouped(absent) + " of them there no more"
	}
	if unread > 0 {
		text += ", " + units.Grouped(unread) + " of them perhaps still there: the newest records did not look"
	}
	return text
}

// placesOf parts records into those of each place, from the oldest to the newest.
func placesOf(all []ledger.Record) (places [][]ledger.Record) {
	all = slices.SortedStableFunc(slices.Values(all), func(a, b ledger.Record) int {
		return cmp.Or(cmp.Compare(a.Place, b.Place), ledger.ByTurn(a, b))
	})
	for len(all) > 0 {
		n := slices.IndexFunc(all, func(one ledger.Record) bool { return one.Place != all[0].Place })
		if n < 0 {
			n = len(all)
		}
		places, all = append(places, all[:n]), all[n:]
	}
	return places
}

// openAll opens what records have below their place. It returns where the newest has that; nil if none has.
func (p *Program) openAll(ctx context.Context, r *question, l *ledger.Ledger, all []ledger.Record, below string) (records []seen.Record, newest *entry.Place, err error) {
	for _, one := range all {
		given := usage.RecordMark + strconv.FormatInt(one.Number, 10)
		whole, err := replay.SourceOf(ctx, l, one, "", given, 0)
		if err != nil {
			return nil, nil, place.LedgerTrouble(p.ledgers.Path, err)
		}
		record := seen.Record{Place: whole.Place(), Source: whole, Scope: scopeOf(r, one)}
		if below != "" {
			s, err := replay.SourceOf(ctx, l, one, below, given+"/"+below, 0)
			switch {
			case errors.Is(err, replay.ErrNoEntry), errors.Is(err, replay.ErrNotRead):
				record.Source = nil
				record.Unread = errors.Is(err, replay.ErrNotRead) || record.Scope.Condition != nil || record.Scope.Hidden.LeavesOut(below)
			case err != nil:
				return nil, nil, place.LedgerTrouble(p.ledgers.Path, err)
			default:
				record.Place, record.Source = s.Place(), s
			}
			if record.Scope.Condition != nil { // it is about paths from the place of the record
				record.Scope.Condition = unreadable{}
			}
		}
		if record.Source != nil {
			newest = record.Place
		}
		records = append(records, record)
	}
	return records, newest, nil
}
