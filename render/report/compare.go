package report

import (
	"strings"

	"frankledger/core/compare"
	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/render"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// CompareSummary says what differs.
func (v *View) CompareSummary(s *Summary, a *compare.Answer, o *compare.Options, read int64) {
	var parts []string
	for change, n := range a.Counts {
		word := compare.Change(change).String()
		s.Numbers = append(s.Numbers, Number{word, int64(n)})
		if compare.Change(change) == compare.Details {
			word = "with the same content, but other details"
		}
		if n > 0 {
			parts = append(parts, units.Grouped(int64(n))+" "+word)
		}
	}
	s.Numbers = append(s.Numbers, Number{"same", int64(a.Same)}, Number{"same_size", knownBytes(a.Bytes, a.Unsized)}, Number{"unknown", int64(a.Unknown)}, Number{"bytes_read", read})
	same := units.Count(int64(a.Same), "entry is", "entries are") + " the same, " + v.contentText(a.Bytes, a.Unsized) + " in the files"
	switch {
	case o.Copy:
		v.copySummary(s, a, same)
	case len(parts) > 0:
		s.Lead = strings.Join(parts, ", ")
		if a.Same > 0 {
			s.Notes = append(s.Notes, same)
		}
	case a.Unknown > 0 || !s.Complete():
		s.Lead = "no difference in what could be compared"
		s.Notes = append(s.Notes, same)
	case a.Same == 0:
		s.Lead = "no difference: both are empty"
	default:
		s.Lead = "no difference: " + same
		if len(o.Ignore) > 0 {
			s.Lead = "no difference that matters: " + same
		}
	}
	how := "by size and time; " + v.Units.SizeText(read) + " of content read where these were not enough"
	if read == 0 {
		how = "by size and time; content was not compared (--content does that)"
	}
	if s.Content {
		how = "by content; " + v.Units.SizeText(read) + " read"
	}
	s.Notes = append(s.Notes, "compared "+how)
	if a.Unknown > 0 {
		s.Notes = append(s.Notes, units.Count(int64(a.Unknown), "entry", "entries")+" could not be compared")
	}
	s.onlyOne(int64(a.Outside))
	if a.ByTime > 0 {
		s.Notes = append(s.Notes, "of "+units.Count(int64(a.ByTime), "file", "files")+" only the time could be compared, because the record has no digests")
	}
}

// copySummary says whether the second place is a copy of the first.
func (v *View) copySummary(s *Summary, a *compare.Answer, same string) {
	missing, other := int64(a.Counts[compare.Removed]), int64(a.Counts[compare.Altered])
	switch {
	case missing+other > 0:
		var what []string
		if missing > 0 {
			what = append(what, units.Count(missing, "file is", "files are")+" missing in it")
		}
		if other > 0 {
			what = append(what, units.Count(other, "is different", "are different"))
		}
		s.Lead = "B is not a complete copy of A: " + strings.Join(what, ", ")
		s.Notes = append(s.Notes, same)
	case a.Unknown > 0 || !s.Complete() || a.Counts[compare.Unclear] > 0:
		s.Lead = "it is not known whether B is a complete copy of A: some content could not be compared"
		s.Notes = append(s.Notes, same)
	case a.Same+a.Elsewhere == 0:
		s.Lead = "A is empty: there is nothing to copy"
	default:
		s.Lead = "B is a complete copy of A: " + same
	}
	if a.Elsewhere > 0 {
		s.Notes = append(s.Notes, units.Count(int64(a.Elsewhere), "file is", "files are")+" in B under another path")
	}
	if a.Only > 0 {
		s.Notes = append(s.Notes, units.Count(int64(a.Only), "entry is", "entries are")+" only in B, which makes no difference")
	}
}

// CompareColumns returns what differences are shown with to people.
func (v *View) CompareColumns() []row.Column[*compare.Result] {
	return row.Only([]row.Column[*compare.Result]{
		row.TextColumn("name", "the path below the place", func(r *compare.Result) (string, bool) { return r.Path, true }).Shrinking().
			Looking(func(r *compare.Result) row.Look { return r.Entry().Look() }),
		row.TextColumn("change", "how it differs", func(r *compare.Result) (string, bool) { return r.Change.String(), true }).Looking(func(r *compare.Result) row.Look {
			if r.Change == compare.Removed || r.Change == compare.Altered {
				return row.Warning
			}
			return row.Plain
		}).Kept(),
		row.TextColumn("what", "what differs", func(r *compare.Result) (string, bool) { return v.changeText(r), true }).Kept(),
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
		return "from " + r.From + ", with " + units.Count(int64(r.Along), "entry", "entries") + " in it"
	case r.Change == compare.Moved:
		return "from " + r.From
	case (r.A == nil || r.B == nil) && r.Along > 0:
		return e.Kind.String() + ", with " + units.Count(int64(r.Along), "entry", "entries") + " in it, " + v.Units.SizeText(r.Size)
	case r.A == nil || r.B == nil:
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
			parts = append(parts, f.Name+" "+v.apart(r.A.Modified, r.B.Modified)+" in B")
			continue
		}
		before, after := v.text(f, r.A), v.text(f, r.B)
		if before == after && f.Type == entry.Bytes { // rounded they are the same
			before, after = exactSize(r.A), exactSize(r.B)
		}
		if before == after { // as that there is an access list
			parts = append(parts, f.Name)
			continue
		}
		parts = append(parts, f.Name+" "+before+" → "+after)
	}
	return strings.Join(parts, ", ")
}

// exactSize is the size of an entry in bytes.
func exactSize(e *entry.Entry) string { return units.Grouped(e.Size) + " B" }

// FilesSummary says how two files compare.
func (v *View) FilesSummary(s *Summary, p *compare.Pair, read int64) {
	same := int64(0)
	if p.Same {
		same = 1
	}
	s.Numbers = append(s.Numbers, Number{"same", same}, Number{"first_difference", p.Byte}, Number{"bytes_read", read})
	a, b := p.Read[0], p.Read[1]
	switch {
	case p.Same:
		s.Lead = "A and B have the same content"
	case p.Byte == a:
		s.Lead = "B begins with all of A, and has " + units.Count(b-a, "byte", "bytes") + " more"
	case p.Byte == b:
		s.Lead = "A begins with all of B, and has " + units.Count(a-b, "byte", "bytes") + " more"
	default:
		s.Lead = "A and B first differ in byte " + units.Grouped(p.Byte+1)
		if p.Line > 1 || p.Texts != nil {
			s.Lead += ", in line " + units.Grouped(p.Line)
		}
	}
	if !p.Same {
		s.Notes = append(s.Notes, v.firstLines(p)...)
	}
	if apart := v.apart(p.Files[0].Modified, p.Files[1].Modified); p.Files[0].Modified != p.Files[1].Modified {
		s.Notes = append(s.Notes, "B was modified "+apart)
	}
	if p.OneFile {
		if p.Files[0].FullPath() != p.Files[1].FullPath() {
			s.Notes = append(s.Notes, "they are one file by two names")
		}
		return
	}
	for _, name := range []string{"permissions", "owner", "group"} {
		f := entry.FieldNamed(name)
		if one, other := v.text(f, p.Files[0]), v.text(f, p.Files[1]); one != other {
			s.Notes = append(s.Notes, name+": A "+one+", B "+other)
		}
	}
	if alike, known := p.Alike(); known && !alike {
		of := func(e *entry.Entry) string {
			d := e.Details()
			text := strings.Join(d.Xattrs, ", ")
			if d.Access != nil {
				text = strings.TrimPrefix(text+", an access list", ", ")
			}
			if text == "" {
				text = "none"
			}
			return typeset.Escaped(text)
		}
		s.Notes = append(s.Notes, "attributes: A "+of(p.Files[0])+"; B "+of(p.Files[1]))
	}
	if one, other := p.Files[0].Name, p.Files[1].Name; p.Same && one != other {
		s.Notes = append(s.Notes, "name: A "+typeset.Escaped(one)+", B "+typeset.Escaped(other))
	}
}

// firstLines shows the lines in which two texts first differ, and marks where.
func (v *View) firstLines(p *compare.Pair) (lines []string) {
	if p.Texts == nil {
		return nil
	}
	before := ""
	if p.Cut > 0 {
		before = "…"
	}
	ends := false
	width := 100
	if v.Width > 0 {
		width = v.Width
	}
	for i, text := range p.Texts {
		shown := before + typeset.Escaped(text)
		if p.Byte == p.Read[i] && p.Column == 0 {
			shown, ends = "(it ends before this line)", true
		}
		lines = append(lines, typeset.Truncate("  "+string(rune('A'+i))+"  "+shown, width-2, "…"))
	}
	if ends { // which is all there is to see
		return lines
	}
	same := p.Texts[0]
	if len(p.Texts[1]) > len(same) {
		same = p.Texts[1]
	}
	mark := typeset.Width(before + typeset.Escaped(same[:min(p.Column, len(same))]))
	return append(lines, "     "+strings.Repeat(" ", mark)+"^")
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
	number, unit := v.Clock().Between(before, after)
	if number == "0" {
		return "less than a second" + word
	}
	return number + " " + unit + word
}
