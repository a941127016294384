package verify

import "frankledger/core/entry"

// Rows are results as entries, for Columns.
type Rows []*Result

// Len returns how many there are.
func (r Rows) Len() int { return len(r) }

// At returns a result as an entry.
func (r Rows) At(i int) *entry.Entry {
	result := r[i]
	path := result.Path()
	return &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: path, Full: path, Leaf: true}}, Name: result.Name(), Self: true,
		Kind: result.Entry.Kind, More: &entry.More{Row: result}}
}

// Rows returns the results: all, or those that are not as the list says.
func (a *Answer) Rows(all bool) (rows Rows) {
	for i := range a.Results {
		if r := &a.Results[i]; all || r.Status != Same {
			rows = append(rows, r)
		}
	}
	return rows
}

func text(name, meaning string, get func(r *Result) string) *entry.Field {
	return entry.TextField(name, meaning, func(e *entry.Entry) (string, bool) {
		value := get(e.More.Row.(*Result))
		return value, value != ""
	})
}

// Columns returns the fields to show results with, for programs.
func Columns() []*entry.Field {
	return []*entry.Field{
		text("path", "the folder as it was given, joined with the name on the list", (*Result).Path),
		text("status", "same, different, missing, unreadable or unlisted", func(r *Result) string { return r.Status.String() }),
		text("expected", "the digest that the list has", func(r *Result) string { expected, _, _ := r.Digests(); return expected }),
		text("actual", "the digest that the file has", func(r *Result) string { _, actual, _ := r.Digests(); return actual }),
		text("name", "the name as it is on the list", (*Result).Name),
		text("algorithm", "of the digests", func(r *Result) string { _, _, a := r.Digests(); return a.Name }),
	}
}
