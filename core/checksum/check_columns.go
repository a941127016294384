package checksum

import (
	"frankledger/core/digestlist"
	"frankledger/core/row"
)

// Rows returns the results: all, or those that are not as the list says.
func (a *Checked) Rows(all bool) (rows row.List[*Result]) {
	for i := range a.Results {
		if r := &a.Results[i]; all || r.Status != Same {
			rows = append(rows, r)
		}
	}
	return rows
}

func text(name, meaning string, get func(r *Result) string) row.Column[*Result] {
	return row.TextColumn(name, meaning, func(r *Result) (string, bool) {
		value := get(r)
		return value, value != ""
	})
}

// CheckColumns returns what results are shown with.
func CheckColumns() []row.Column[*Result] {
	return []row.Column[*Result]{
		text("path", "the folder as it was given, joined with the name on the list", (*Result).Path),
		text("status", "same, different, missing, moved, unreadable or unlisted", func(r *Result) string { return r.Status.String() }),
		text("expected", "the digest that the list has", func(r *Result) string { expected, _, _ := r.Digests(); return expected }),
		text("actual", "the digest that the file has", func(r *Result) string { _, actual, _ := r.Digests(); return actual }),
		text("name", "the name as it is on the list", (*Result).Name),
		text("algorithm", "of the digests", func(r *Result) string { _, _, a := r.Digests(); return a.Name }),
		row.NumberColumn("expected_size", "the size that the list has", row.Bytes, func(r *Result) (int64, bool) {
			return sizeOf(r.Line), r.Line != nil && r.Line.Sized
		}).For(row.Programs),
		text("moved_to", "the path of the file that has the content now, if it was moved", func(r *Result) string {
			if r.Found == nil {
				return ""
			}
			return r.Found.Path()
		}).For(row.Programs),
	}
}

func sizeOf(l *digestlist.Line) int64 {
	if l == nil {
		return 0
	}
	return l.Size
}
