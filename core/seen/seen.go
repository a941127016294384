// Package seen tells in which of several records entries are: when they were first and last seen.
package seen

import (
	"context"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/core/text"
)

// Row is an entry, by its path, and the records that it is in.
type Row struct {
	Entry       *entry.Entry // as it is in the last of them
	First, Last *entry.Place // the records
	Records     int          // how many
	Gone        *entry.Place // the first record after the last one, in which it is no longer; nil if it is in the newest
}

// Answer is in which records entries are.
type Answer struct {
	Rows    []*Row // by path
	Records int    // that were read
	Report  source.Report
}

// Run reads records of one place, from the oldest to the newest. The request chooses the entries.
func Run(ctx context.Context, records []source.Source, request source.Request) (*Answer, error) {
	a := &Answer{Records: len(records)}
	byPath := map[string]*Row{}
	for _, record := range records {
		found := &found{}
		report, err := record.Read(ctx, request, found)
		report.NoteUntold(record, request.Condition)
		a.Report.Add(report)
		if err != nil {
			return a, err
		}
		for _, e := range found.all() {
			path := e.Relative()
			r := byPath[path]
			if r == nil {
				r = &Row{First: record.Place()}
				byPath[path] = r
				a.Rows = append(a.Rows, r)
			}
			r.Entry, r.Last, r.Gone = e, record.Place(), nil
			r.Records++
		}
		for _, r := range a.Rows {
			if r.Last != record.Place() && r.Gone == nil {
				r.Gone = record.Place()
			}
		}
	}
	slices.SortFunc(a.Rows, func(x, y *Row) int { return text.CompareNatural(x.Entry.Relative(), y.Entry.Relative()) })
	return a, nil
}

// found keeps the entries of one record.
type found struct{ parts source.Parts[[]*entry.Entry] }

// Visitor implements source.Sink.
func (f *found) Visitor() source.Visitor {
	list := f.parts.New(nil)
	return func(entries []entry.Entry) error {
		for i := range entries {
			kept := entries[i].Keep()
			*list = append(*list, &kept)
		}
		return nil
	}
}

func (f *found) all() (all []*entry.Entry) {
	for _, list := range f.parts.All() {
		all = append(all, *list...)
	}
	slices.SortFunc(all, func(a, b *entry.Entry) int { return strings.Compare(a.Relative(), b.Relative()) })
	return all
}

// Columns returns what rows are shown with, after the fields of entries that are given.
func Columns(fields []row.Column[*entry.Entry]) []row.Column[*Row] {
	taken := func(p *entry.Place) (row.Moment, bool) {
		if p == nil || p.Record == nil {
			return row.Moment{}, false
		}
		return p.Record.Taken, true
	}
	number := func(p *entry.Place) (int64, bool) {
		if p == nil || p.Record == nil {
			return 0, false
		}
		return p.Record.Number, true
	}
	return append(row.AllThrough(fields, func(r *Row) *entry.Entry { return r.Entry }),
		row.TimeColumn("first", "when it was first recorded", func(r *Row) (row.Moment, bool) { return taken(r.First) }),
		row.TimeColumn("last", "when it was last recorded", func(r *Row) (row.Moment, bool) { return taken(r.Last) }),
		row.NumberColumn("records", "in how many records it is", row.Number, func(r *Row) (int64, bool) { return int64(r.Records), true }),
		row.TimeColumn("gone", "when it was first no longer recorded", func(r *Row) (row.Moment, bool) { return taken(r.Gone) }).LeftBlank(),
		row.NumberColumn("first_record", "the number of the first record with it", row.Number, func(r *Row) (int64, bool) { return number(r.First) }).For(row.Programs),
		row.NumberColumn("last_record", "the number of the last record with it", row.Number, func(r *Row) (int64, bool) { return number(r.Last) }).For(row.Programs))
}
