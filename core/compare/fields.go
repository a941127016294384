package compare

import (
	"strconv"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/row"
)

// Rows returns the results: all, or all but what only came along with its folder.
func (answer *Answer) Rows(all bool) (list row.List[*Result]) {
	for _, r := range answer.Results {
		if all || !r.Carried {
			list = append(list, r)
		}
	}
	return list
}

// Parted reports whether the result begins another kind of change.
func (r *Result) Parted() bool { return r.opens && !r.top }

// difference is a fact that differs, with its values as text; of content there are
// none.
type difference struct {
	fact          string
	before, after func() (string, bool)
}

// valueText is the value of a fact of an entry, as text.
func valueText(f *entry.Field, e *entry.Entry, c *entry.Context) (string, bool) {
	switch f.Type {
	case entry.Moment:
		t, ok := f.Moment(e)
		return string(t.AppendRFC3339(nil)), ok
	case entry.Text:
		text, ok := f.AppendText(nil, e, c)
		return string(text), ok
	case entry.Mode:
		return e.Permissions.Octal(), true
	default:
		n, ok := f.Number(e, c)
		return strconv.FormatUint(uint64(n), 10), ok
	}
}

// Columns returns what results are shown with to programs: to those that take values
// within values, with the values before and after.
func Columns(c *entry.Context) []row.Column[*Result] {
	facts := func(names ...string) []row.Column[*Result] {
		return row.AllThrough(entry.ColumnsNamed(c, names...), (*Result).Entry)
	}
	columns := append([]row.Column[*Result]{row.TextColumn("change", "added, removed, altered, moved, details or unclear", func(r *Result) (string, bool) { return r.Change.String(), true })},
		facts("path")...)
	columns = append(columns,
		row.TextColumn("from", "the path it was moved from", func(r *Result) (string, bool) {
			if r.Change != Moved {
				return "", false
			}
			return r.A.Path(), true
		}),
		row.TextColumn("way", "the path below the place", func(r *Result) (string, bool) { return r.Path, true }))
	columns = append(append(columns, facts("kind", "size")...),
		row.TextColumn("differs", "the facts that differ", func(r *Result) (string, bool) {
			words := r.Words()
			return strings.Join(words, " "), len(words) > 0
		}).For(row.Flat),
		row.RowsColumn("differs", "the facts that differ", []row.Column[difference]{
			row.TextColumn("fact", "what differs", func(d difference) (string, bool) { return d.fact, true }),
			row.TextColumn("before", "its value before", func(d difference) (string, bool) { return d.before() }),
			row.TextColumn("after", "its value after", func(d difference) (string, bool) { return d.after() }),
		}, func(r *Result) []difference { return r.differences(c) }))
	return row.Only(columns, row.Programs)
}

// differences are the facts that differ.
func (r *Result) differences(c *entry.Context) (list []difference) {
	none := func() (string, bool) { return "", false } // content is too much to show
	if r.Content {
		list = append(list, difference{"content", none, none})
	}
	for _, f := range r.Differences {
		list = append(list, difference{f.Name,
			func() (string, bool) { return valueText(f, r.A, c) }, func() (string, bool) { return valueText(f, r.B, c) }})
	}
	return list
}

// Words names what differs.
func (r *Result) Words() (words []string) {
	for _, d := range r.differences(nil) {
		words = append(words, d.fact)
	}
	return words
}
