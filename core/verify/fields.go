package verify

import "frankledger/core/entry"

// RowEntry returns a result as an entry, for Columns.
func (r *Result) RowEntry() *entry.Entry {
	e := &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: r.Path, Full: r.Path, Leaf: true}}, Name: r.Name, Self: true}
	if r.Entry != nil {
		e.Kind = r.Entry.Kind
	}
	e.More = &entry.More{Row: r}
	return e
}

func resultOf(e *entry.Entry) *Result { return e.More.Row.(*Result) }

func text(name, meaning string, get func(r *Result) string) *entry.Field {
	return entry.TextField(name, meaning, func(e *entry.Entry) (string, bool) {
		value := get(resultOf(e))
		return value, value != ""
	})
}

// Columns returns the fields to show results with, for programs.
func Columns() []*entry.Field {
	return []*entry.Field{
		text("path", "the folder as it was given, joined with the name on the list", func(r *Result) string { return r.Path }),
		text("status", "same, different, missing, unreadable or unlisted", func(r *Result) string { return r.Status.String() }),
		text("expected", "the digest that the list has", func(r *Result) string { return r.Expected }),
		text("actual", "the digest that the file has", func(r *Result) string { return r.Actual }),
		text("name", "the name as it is on the list", func(r *Result) string { return r.Name }),
		text("algorithm", "of the digests", func(r *Result) string { return r.Algorithm.Name }),
	}
}
