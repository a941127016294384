package report

import (
	"strings"

	"frankledger/core/compare"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/render"
)

// CompareSummary says what differs.
func (v *View) CompareSummary(s *Summary, a *compare.Answer, read int64) {
	var parts []string
	for change, n := range a.Counts {
		word := compare.Change(change).String()
		s.Numbers = append(s.Numbers, Number{word, int64(n)})
		if compare.Change(change) == compare.Details {
			word = "with the same content, but other details"
		}
		if n > 0 {
			parts = append(parts, render.Grouped(int64(n))+" "+word)
		}
	}
	s.Numbers = append(s.Numbers, Number{"same", int64(a.Same)}, Number{"same_size", knownBytes(a.Bytes, a.Unsized)}, Number{"unknown", int64(a.Unknown)}, Number{"bytes_read", read})
	same := render.Count(int64(a.Same), "entry is", "entries are") + " the same, " + v.contentText(a.Bytes, a.Unsized) + " in the files"
	switch {
	case len(parts) > 0:
		s.Lead = strings.Join(parts, ", ")
		if a.Same > 0 {
			s.Notes = append(s.Notes, same)
		}
	case a.Unknown > 0 || !s.Complete():
		s.Lead = "no difference in what could be compared"
		s.Notes = append(s.Notes, same)
	case a.Same == 0:
		s.Lead = "no difference: there is nothing in either"
	default:
		s.Lead = "no difference: " + same
	}
	how := "by size and time; " + v.Units.SizeText(read) + " of content read where that was not enough"
	if read == 0 {
		how = "by size and time; no content had to be read"
	}
	if s.Content {
		how = "by content; " + v.Units.SizeText(read) + " read"
	}
	s.Notes = append(s.Notes, "compared "+how)
	if a.Unknown > 0 {
		s.Notes = append(s.Notes, render.Count(int64(a.Unknown), "entry", "entries")+" could not be compared")
	}
	if a.ByTime > 0 {
		s.Notes = append(s.Notes, "of "+render.Count(int64(a.ByTime), "file", "files")+" only the time was compared: the record has no digests")
	}
}

// CompareColumns returns what differences are shown with to people.
func (v *View) CompareColumns() []row.Column[*compare.Result] {
	return row.Only([]row.Column[*compare.Result]{
		row.TextColumn("name", "the path below the place", func(r *compare.Result) (string, bool) { return r.Path, true }).Shrinking().
			Looking(func(r *compare.Result) row.Look { return r.Entry().Look() }),
		row.TextColumn("change", "how it differs", func(r *compare.Result) (string, bool) { return r.Change.String(), true }),
		row.TextColumn("what", "what differs", func(r *compare.Result) (string, bool) { return v.changeText(r), true }),
	}, row.People)
}

// NewDifferences returns a table of differences, with each kind of change apart.
func NewDifferences(v *View, columns []row.Column[*compare.Result]) render.Format[*compare.Result] {
	return render.NewTable(v.View, row.Choose(columns, row.Screen), func(dst []byte, r *compare.Result) []byte {
		if r.Parted() {
			dst = append(dst, '\n')
		}
		return dst
	})
}

// changeText tells what differs.
func (v *View) changeText(r *compare.Result) string {
	e := r.Entry()
	switch {
	case r.Change == compare.Moved && r.Along > 0:
		return "from " + r.From + ", with " + render.Count(int64(r.Along), "entry", "entries") + " in it"
	case r.Change == compare.Moved:
		return "from " + r.From
	case r.Change == compare.Added || r.Change == compare.Removed:
		if e.HasSize() {
			return e.Kind.String() + ", " + v.Units.SizeText(e.Size)
		}
		return e.Kind.String()
	}
	var parts []string
	if r.Content {
		parts = append(parts, "content")
	}
	for _, f := range r.Differences {
		if f.Type == entry.Moment {
			parts = append(parts, f.Name+" "+v.apart(r.A.Modified, r.B.Modified))
			continue
		}
		parts = append(parts, f.Name+" "+v.text(f, r.A)+" → "+v.text(f, r.B))
	}
	return strings.Join(parts, ", ")
}

// text is the value of a field as people read it, in one piece.
func (v *View) text(f *entry.Field, e *entry.Entry) string {
	column := row.Choose(entry.Columns(v.Context, f), row.Screen)[0]
	left, right := render.Cell(v.View, &column, e)
	return strings.TrimSpace(left + " " + right)
}

// apart tells by how much one moment is later or earlier than another.
func (v *View) apart(before, after entry.Time) string {
	word := " later"
	if after.Compare(before) < 0 {
		before, after, word = after, before, " earlier"
	}
	number, unit := v.Between(before, after)
	if number == "0" {
		return "less than a second" + word
	}
	return number + " " + unit + word
}
