package compare

import (
	"strconv"
	"strings"

	"frankledger/core/entry"
)

// Entries returns the results as entries, for Columns: all, or all but what only
// came along with its folder.
func (answer *Answer) Entries(all bool) (list []*entry.Entry) {
	for _, r := range answer.Results {
		if r.Carried && !all {
			continue
		}
		e := *r.Entry()
		e.More = &entry.More{Row: r}
		list = append(list, &e)
	}
	return list
}

// Parted tells whether the row begins another kind of change.
func (r *Result) Parted() bool { return r.opens && !r.top }

func resultOf(e *entry.Entry) *Result { return e.More.Row.(*Result) }

// difference is a row within a result.
type difference struct {
	field  *entry.Field
	result *Result
}

// value of a fact before or after, as text.
func (d difference) value(e *entry.Entry, c *entry.Context) (string, bool) {
	switch f := d.field; f.Type {
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

// Columns returns the fields to show results with, for programs: in JSON with
// the facts that differ as rows of their own.
func Columns(inJSON bool, c *entry.Context) []*entry.Field {
	columns := []*entry.Field{
		entry.TextField("change", "added, removed, altered, moved or details", func(e *entry.Entry) (string, bool) { return resultOf(e).Change.String(), true }),
		entry.FieldNamed("path"),
		entry.TextField("from", "the path it was moved from", func(e *entry.Entry) (string, bool) {
			r := resultOf(e)
			if r.Change != Moved {
				return "", false
			}
			return r.A.Path(), true
		}),
		entry.TextField("way", "its way from the place", func(e *entry.Entry) (string, bool) { return resultOf(e).Way, true }),
		entry.FieldNamed("kind"), entry.FieldNamed("size"),
	}
	if !inJSON {
		return append(columns, entry.TextField("differs", "the facts that differ", func(e *entry.Entry) (string, bool) {
			words := resultOf(e).Words()
			return strings.Join(words, " "), len(words) > 0
		}))
	}
	inside := []*entry.Field{
		entry.TextField("fact", "what differs", func(e *entry.Entry) (string, bool) { return e.Name, true }),
		valueField("before", c, func(r *Result) *entry.Entry { return r.A }),
		valueField("after", c, func(r *Result) *entry.Entry { return r.B }),
	}
	return append(columns, entry.RowsField("differs", "the facts that differ", inside, func(e *entry.Entry) (rows []*entry.Entry) {
		r := resultOf(e)
		if r.Content {
			rows = append(rows, &entry.Entry{Name: "content", More: &entry.More{}})
		}
		for _, f := range r.Differences {
			rows = append(rows, &entry.Entry{Name: f.Name, More: &entry.More{Row: difference{f, r}}})
		}
		return rows
	}))
}

func valueField(name string, c *entry.Context, of func(*Result) *entry.Entry) *entry.Field {
	return entry.TextField(name, "its value "+name, func(e *entry.Entry) (string, bool) {
		d, ok := e.More.Row.(difference)
		if !ok {
			return "", false // content is too much to show
		}
		return d.value(of(d.result), c)
	})
}

// Words names what differs.
func (r *Result) Words() (words []string) {
	if r.Content {
		words = append(words, "content")
	}
	for _, f := range r.Differences {
		words = append(words, f.Name)
	}
	return words
}
