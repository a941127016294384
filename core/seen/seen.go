// Package seen tells in which of several records entries are: when they were first and last seen.
package seen

import (
	"context"
	"path"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/core/text"
)

// Record is one of the records, from the oldest to the newest.
type Record struct {
	Place  *entry.Place
	Source source.Source // nil if it has nothing there
	Unread bool          // with no source: it did not look there
	Scope  sides.Scope   // what chose its entries
}

// Options says what is looked for in records of one place.
type Options struct {
	source.Request
	// Lasting says that whether an entry meets the condition is settled by its path and kind.
	Lasting bool
}

// State is what the newest record says of an entry.
type State uint8

const (
	There   State = iota
	Absent        // it has none
	NotRead       // it did not look there, and no record since the last one with the entry did
)

var stateWords = [...]string{"there", "absent", "not read"}

func (s State) String() string { return stateWords[s] }

// Row is an entry that met the condition in one of the records, by its path.
type Row struct {
	Entry       *entry.Entry // as it is in the last record that has it
	First, Last *entry.Place // the records that have it
	Records     int          // how many
	State       State
	Gone        *entry.Place // the first record after the last one that is known to have it no more; nil if none is
	last        int
}

// Answer is in which records entries are.
type Answer struct {
	Rows   []*Row // by path
	Report source.Report
}

// run is one search.
type run struct {
	Options
	answer  Answer
	shut    []sides.Shut // folders that the records did not look into
	byPath  map[string]*Row
	unclear map[string]bool // paths of what may meet the condition
}

// Run looks into records of one place.
func Run(ctx context.Context, records []Record, o Options) (*Answer, error) {
	r := &run{Options: o, shut: make([]sides.Shut, len(records)), byPath: map[string]*Row{}, unclear: map[string]bool{}}
	marked := o.Marked(o.Facts)
	for i, record := range records {
		if record.Source == nil {
			continue
		}
		report, err := r.read(ctx, i, record, marked, func(e *entry.Entry) bool {
			switch {
			case o.Condition == nil || source.Chosen(e):
				return true
			case e.Marks&entry.MarkUndecided != 0:
				r.unclear[e.Relative()] = true
			}
			return false
		})
		report.NoteUntold(record.Source, o.Condition)
		r.answer.Report.Add(report)
		if err != nil {
			return &r.answer, err
		}
	}
	for path := range r.byPath {
		delete(r.unclear, path)
	}
	sides.Settle(&r.answer.Report, int64(len(r.unclear)))
	if !o.Lasting { // it is there also where it does not meet the condition
		if err := r.meetAgain(ctx, records, marked); err != nil {
			return &r.answer, err
		}
	}
	tests := make([]func(*entry.Entry) sides.Standing, len(records))
	for _, row := range r.byPath {
		r.settle(row, records, tests)
		r.answer.Rows = append(r.answer.Rows, row)
	}
	for i, record := range records {
		if tests[i] != nil {
			record.Scope.Forget()
		}
	}
	slices.SortFunc(r.answer.Rows, func(x, y *Row) int { return text.CompareNatural(x.Entry.Relative(), y.Entry.Relative()) })
	return &r.answer, nil
}

// read notes those entries of a record that are wanted.
func (r *run) read(ctx context.Context, at int, record Record, request source.Request, wanted func(*entry.Entry) bool) (source.Report, error) {
	var mu sync.Mutex
	report, err := record.Source.Read(ctx, request, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			r.shut[at].Note(entries, (*entry.Entry).Relative)
			mu.Lock()
			defer mu.Unlock()
			for i := range entries {
				if e := &entries[i]; wanted(e) {
					r.add(at, record.Place, e)
				}
			}
			return nil
		}
	}))
	r.shut[at].NoteProblems(record.Place, "", report.Problems)
	return report, err
}

// add notes that a record has an entry.
func (r *run) add(at int, place *entry.Place, e *entry.Entry) {
	path := e.Relative()
	row := r.byPath[path]
	if row == nil {
		row = &Row{First: place}
		r.byPath[path] = row
	}
	kept := e.Keep()
	row.Entry, row.Last, row.last = &kept, place, at
	row.Records++
}

// meetAgain finds out in which records those entries are that met the condition in one of them.
func (r *run) meetAgain(ctx context.Context, records []Record, request source.Request) error {
	met := r.byPath
	r.byPath = make(map[string]*Row, len(met))
	request.Condition = nil
	for i, record := range records {
		if record.Source == nil {
			continue
		}
		if _, err := r.read(ctx, i, record, request, func(e *entry.Entry) bool { return met[e.Relative()] != nil }); err != nil {
			return err
		}
	}
	return nil
}

// settle finds out what the records after the last one with an entry say of it.
func (r *run) settle(row *Row, records []Record, tests []func(*entry.Entry) sides.Standing) {
	folder, _ := path.Split(row.Entry.Relative())
	for i := row.last + 1; i < len(records); i++ {
		record := &records[i]
		if tests[i] == nil {
			tests[i] = record.Scope.Test()
		}
		shut, _ := r.shut[i].In(strings.TrimSuffix(folder, "/"))
		if shut || record.Source == nil && record.Unread || record.Scope.Hidden.LeavesOut(row.Entry.Relative()) || tests[i](row.Entry) != sides.Missing {
			row.State = NotRead
			continue
		}
		row.State, row.Gone = Absent, record.Place
		return
	}
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
		row.TextColumn("state", "there, absent or not read, in the newest record", func(r *Row) (string, bool) { return r.State.String(), true }),
		row.TimeColumn("gone", "when it was first known to be gone", func(r *Row) (row.Moment, bool) { return taken(r.Gone) }).LeftBlank(),
		row.NumberColumn("first_record", "the number of the first record with it", row.Number, func(r *Row) (int64, bool) { return number(r.First) }).For(row.Programs),
		row.NumberColumn("last_record", "the number of the last record with it", row.Number, func(r *Row) (int64, bool) { return number(r.Last) }).For(row.Programs))
}
