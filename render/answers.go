package render

import (
	"strings"

	"frankledger/core/checksum"
	"frankledger/core/compare"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/row"
)

// What commands say of what they found, for the footer and for the summary in
// JSON.

// ChecksumSummary says which files have the same content.
func (v *View) ChecksumSummary(s *Summary, a *checksum.Answer, read int64) {
	s.Lead = Count(int64(a.Files), "file", "files") + ", " + v.Units.SizeText(read) + " read"
	for _, place := range v.Places {
		if place.Record != nil {
			s.Notes = append(s.Notes, "the digests of "+Escaped(place.Given)+" are those that were recorded")
		}
	}
	alike := 0
	for _, count := range a.Groups {
		alike += count
	}
	s.Numbers = append(s.Numbers, Number{"groups", int64(len(a.Groups))}, Number{"alone", int64(a.Alone)}, Number{"bytes_read", read})
	switch {
	case a.Files < 2:
	case len(a.Groups) == 0:
		s.Notes = append(s.Notes, "no two have the same content")
	case a.Alone == 0 && len(a.Groups) == 1:
		s.Notes = append(s.Notes, "all have the same content")
	default:
		var parts []string
		for i, count := range a.Groups[:min(len(a.Groups), mostMarks)] {
			parts = append(parts, Grouped(int64(count))+" marked "+checksum.Mark(i+1))
		}
		if len(a.Groups) > mostMarks {
			parts = append(parts, Grouped(int64(len(a.Groups)-mostMarks))+" groups more")
		}
		stand := Count(int64(a.Alone), "stands", "stand") + " alone"
		s.Notes = append(s.Notes, Grouped(int64(alike))+" have the same content as another: "+strings.Join(parts, ", ")+"; "+stand)
	}
}

// mostMarks is how many groups a line names.
const mostMarks = 6

// DuplicatesSummary says what could be freed.
func (v *View) DuplicatesSummary(s *Summary, a *duplicates.Answer, looked, read int64) {
	s.Numbers = append(s.Numbers, Number{"sets", int64(len(a.Sets))}, Number{"spares", int64(a.Spares)},
		Number{"reclaimable", a.Reclaimable}, Number{"empty", int64(a.Empty)}, Number{"bytes_read", read})
	s.Lead = "no two files have the same content"
	if len(a.Sets) > 0 {
		s.Lead = Count(int64(len(a.Sets)), "set", "sets") + " of files with the same content: " + Count(int64(a.Files), "file", "files") + ", " +
			Count(int64(a.Spares), "spare", "spares") + "; removing these would free " + upTo(a.UpTo) + v.Units.SizeText(a.Reclaimable)
	}
	s.Notes = append(s.Notes, Count(looked, "file", "files")+" looked at, "+v.Units.SizeText(read)+" read")
	if a.Elsewhere > 0 {
		s.Notes = append(s.Notes, Count(int64(a.Elsewhere), "spare frees", "spares free")+" nothing: there is another name of it outside of what was looked at")
	}
	if a.Empty > 0 {
		s.Notes = append(s.Notes, Count(int64(a.Empty), "empty file", "empty files")+" left out; --empty")
	}
}

// setLine is what a set of files with the same content is headed with.
func (v *View) setLine(s *duplicates.Set) string {
	return v.Units.SizeText(s.Size) + " in each of " + Grouped(int64(s.Files)) + " files, " + upTo(s.UpTo) + v.Units.SizeText(s.Reclaimable) + " reclaimable"
}

// OnlySummary says how many files are in one place only.
func (v *View) OnlySummary(s *Summary, a *duplicates.Answer, place string, looked, read int64) {
	only := int64(len(a.Only))
	s.Numbers = append(s.Numbers, Number{"only", only}, Number{"bytes_read", read})
	s.Lead = Count(only, "file", "files") + " of " + Escaped(place) + " whose content is nowhere else"
	if only == 0 {
		s.Lead = "all content of " + Escaped(place) + " is elsewhere too"
	}
	s.Notes = append(s.Notes, Count(looked, "file", "files")+" looked at, "+v.Units.SizeText(read)+" read")
}

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
			parts = append(parts, Grouped(int64(n))+" "+word)
		}
	}
	s.Numbers = append(s.Numbers, Number{"same", int64(a.Same)}, Number{"same_size", knownBytes(a.Bytes, a.Unsized)}, Number{"unknown", int64(a.Unknown)}, Number{"bytes_read", read})
	same := Count(int64(a.Same), "entry is", "entries are") + " the same, " + v.contentText(a.Bytes, a.Unsized) + " in the files"
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
	how := "by size and time; " + v.Units.SizeText(read) + " of content read where these left it open"
	if read == 0 {
		how = "by size and time; no content had to be read"
	}
	if s.Content {
		how = "by content; " + v.Units.SizeText(read) + " read"
	}
	s.Notes = append(s.Notes, "compared "+how)
	if a.Unknown > 0 {
		s.Notes = append(s.Notes, Count(int64(a.Unknown), "entry", "entries")+" could not be compared")
	}
	if a.ByTime > 0 {
		s.Notes = append(s.Notes, "of "+Count(int64(a.ByTime), "file", "files")+" only the time tells: the record has no digests")
	}
}

// CompareColumns returns what differences are shown with to people.
func (v *View) CompareColumns() []row.Column[*compare.Result] {
	return row.Only([]row.Column[*compare.Result]{
		row.TextColumn("name", "its way from the place", func(r *compare.Result) (string, bool) { return r.Path, true }).Shrinking().
			Looking(func(r *compare.Result) row.Look { return r.Entry().Look() }),
		row.TextColumn("change", "how it differs", func(r *compare.Result) (string, bool) { return r.Change.String(), true }),
		row.TextColumn("what", "what differs", func(r *compare.Result) (string, bool) { return v.changeText(r), true }),
	}, row.People)
}

// NewDifferences returns a table of differences, with each kind of change apart.
func NewDifferences(v *View, columns []row.Column[*compare.Result]) Format[*compare.Result] {
	return newTable(v, row.Choose(columns, row.Screen), func(dst []byte, r *compare.Result) []byte {
		if r.Parted() {
			dst = append(dst, '\n')
		}
		return dst
	})
}

// NewSets returns a table of files with the same content, each set below a line on it.
func NewSets(v *View, columns []row.Column[*duplicates.Name]) Format[*duplicates.Name] {
	return newTable(v, row.Choose(columns, row.Screen), func(dst []byte, n *duplicates.Name) []byte {
		if n.At > 0 {
			return dst
		}
		if !n.Top {
			dst = append(dst, '\n')
		}
		return append(v.Palette.put(fill(dst, indent), v.setLine(n.Set), plainInk), '\n')
	})
}

// changeText tells what differs.
func (v *View) changeText(r *compare.Result) string {
	e := r.Entry()
	switch {
	case r.Change == compare.Moved && r.Along > 0:
		return "from " + r.From + ", with " + Count(int64(r.Along), "entry", "entries") + " in it"
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
	left, right := cell(v, &column, e)
	return strings.TrimSpace(left + " " + right)
}

// apart tells by how much one moment is later or earlier than another.
func (v *View) apart(before, after entry.Time) string {
	word := " later"
	if after.Compare(before) < 0 {
		before, after, word = after, before, " earlier"
	}
	number, unit := v.between(before, after)
	if number == "0" {
		return "less than a second" + word
	}
	return number + " " + unit + word
}

// upTo stands before what may be less.
func upTo(so bool) string {
	if so {
		return "up to "
	}
	return ""
}
