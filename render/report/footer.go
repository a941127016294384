package report

import (
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Lines in the three styles that they have.
func plain(text string) render.Line { return render.Line{Text: text} }
func quiet(text string) render.Line { return render.Line{Text: text, Style: style.Quiet} }
func alarm(text string) render.Line { return render.Line{Text: text, Style: style.Alarm} }

// heading names the folders looked at by their full paths: the places, and for
// one that is no folder the folder it lies in.
func (v *View) heading() []render.Line {
	var lines []render.Line
	if v.Before > 0 {
		lines = lettered("A", v.machines(v.Places[:v.Before], true))
		lines = append(lines, lettered("B", v.machines(v.Places[v.Before:], true))...)
	} else if lines = v.machines(v.Places, false); lines == nil {
		lines = v.placeLines()
	}
	return append(lines, v.TakenLines()...)
}

// takenLines say how the words of the question were taken.
func (v *View) TakenLines() (lines []render.Line) {
	for _, line := range v.Taken {
		lines = append(lines, quiet(line))
	}
	return v.Wrapped(lines)
}

// mostMachines is how many places are named one by one where they are records of machines.
const mostMachines = 4

// lettered puts a letter before lines.
func lettered(letter string, lines []render.Line) []render.Line {
	for i := range lines {
		lines[i].Text = letter + "  " + lines[i].Text
	}
	return lines
}

// machines names the records of machines together; nil if the places are others or, unless that
// is wanted in any case, few.
func (v *View) machines(places []*entry.Place, anyway bool) (lines []render.Line) {
	type same struct{ full, label string }
	of := map[same][]*entry.Place{}
	var order []same
	for _, place := range places {
		if place.Record == nil {
			return nil
		}
		key := same{v.placeName(place), place.Record.Label}
		if of[key] == nil {
			order = append(order, key)
		}
		of[key] = append(of[key], place)
	}
	if few := len(places) <= mostMachines || len(order) == len(places) && len(order) < 20; few && !anyway {
		return nil
	}
	for i, key := range order {
		if i == 2*mostMachines && len(order) > i+1 {
			lines = append(lines, quiet("and "+units.Count(int64(len(order)-i), "other record", "other records")))
			break
		}
		places := of[key]
		text := v.PlaceLine(places[0])
		if len(places) > 1 {
			oldest, newest := places[0].Record.Taken, places[0].Record.Taken
			for _, place := range places {
				if t := place.Record.Taken; t.Compare(oldest) < 0 {
					oldest = t
				} else if t.Compare(newest) > 0 {
					newest = t
				}
			}
			text = key.full + " on " + units.Count(int64(len(places)), "machine", "machines") + ", as recorded " + v.whenTaken(newest)
			if first := v.whenTaken(oldest); first != v.whenTaken(newest) {
				if v.IsAhead(newest.Std()) {
					text += ","
				}
				text += " to " + first
			}
			text += " (@" + typeset.Escaped(key.label) + ")"
		}
		lines = append(lines, v.brokenAt(text, strings.TrimPrefix(text, key.full))...)
	}
	return lines
}

// placeLines names the places one by one.
func (v *View) placeLines() (lines []render.Line) {
	last := ""
	for i, place := range v.Places {
		text := v.PlaceLine(place)
		if v.Lettered {
			text = string(rune('A'+i)) + "  " + text
		}
		if text != last {
			lines = append(lines, v.brokenAt(text, v.Recorded(place))...)
		}
		last = text
	}
	return lines
}

// brokenAt returns a heading in lines that fit: what is said after a path goes below it, and the path stays whole.
func (v *View) brokenAt(text, after string) []render.Line {
	at := strings.LastIndex(text, after)
	if v.Width == 0 || after == "" || at < 0 || typeset.Width(text) <= v.Width {
		return []render.Line{{Text: text, Style: style.Heading}}
	}
	lines := []render.Line{{Text: strings.TrimRight(text[:at], ","), Style: style.Heading}}
	for _, line := range typeset.Wrap(strings.TrimLeft(text[at:], ", "), v.Width-layout.Indent, 0) {
		lines = append(lines, render.Line{Text: strings.Repeat(" ", layout.Indent) + line, Style: style.Heading})
	}
	return lines
}

// placeLine names a place by its full path, and says what it is beside a folder
// as it is now.
func (v *View) PlaceLine(place *entry.Place) string {
	line := v.placeName(place) + v.Recorded(place)
	if place.Real != "" {
		line += ", which leads to " + typeset.Escaped(place.Real)
	}
	return line
}

func (v *View) placeName(place *entry.Place) string {
	switch {
	case place.Leaf:
		return typeset.Escaped(path.Dir(place.Full))
	case place.List:
		return "the list " + typeset.Escaped(place.Full)
	}
	return typeset.Escaped(place.Full)
}

// recorded says of a record that it is one, of when, and on which machine if that was asked for.
func (v *View) Recorded(place *entry.Place) string {
	r := place.Record
	if r == nil {
		return ""
	}
	when := v.whenTaken(r.Taken)
	if v.Times == units.Relative && !v.IsAhead(r.Taken.Std()) {
		when += ", " + v.Day(r.Taken.Std())
	}
	on := ""
	if strings.Count(place.Given, "@") > 1 {
		on = " on " + typeset.Escaped(r.Host)
	}
	return on + ", as recorded " + when + " (@" + typeset.Escaped(r.Label) + ", number " + strconv.FormatInt(r.Number, 10) + ")"
}

// IsAhead reports whether a record is dated later than now: a clock was ahead when it was made.
func (v *View) IsAhead(taken time.Time) bool { return taken.After(v.Context.AsOf.Add(time.Minute)) }

// whenTaken tells when a record was made. How long it is until then would be of no use.
func (v *View) whenTaken(t entry.Time) string {
	if v.IsAhead(t.Std()) {
		return v.Day(t.Std()) + ", later than now"
	}
	return v.when(t)
}

func (v *View) when(t entry.Time) string {
	number, unit := v.Clock().Moment(t)
	return strings.TrimSpace(number + " " + unit)
}

// Footer says what there was, and all that was left out.
func (v *View) Footer(s *Summary) []render.Line {
	var lines []render.Line
	m := &s.Matched
	line := units.Count(m.Entries(), "entry", "entries")
	if s.Chosen {
		line = units.Grouped(m.Entries()) + " of " + units.Count(s.Report.Tested, "entry", "entries")
	}
	if !s.Grouped && s.Shown < m.Entries() {
		line = units.Grouped(s.Shown) + " shown; " + line
	}
	if kinds := KindCounts(s); kinds != "" {
		line += ": " + kinds
	}
	if s.Bytes && m.Files > 0 {
		line += " · " + v.SumText(m) + " in the files"
	}
	switch {
	case s.Totals != nil && s.Chosen && m.Folders == 0:
	case s.Totals != nil && s.Chosen:
		line += " · " + v.SumText(s.Totals) + " in all, each file counted once"
	case s.Totals != nil:
		line += " · " + v.SumText(s.Totals) + " in all"
	}
	switch {
	case s.Lead != "":
		line = s.Lead
	case s.nothingRead():
		line = "nothing could be read"
	}
	lines = append(lines, render.Line{Text: line, Style: style.Heading})
	if s.Chosen && m.Entries() == 0 {
		for _, slip := range s.Slips {
			lines = append(lines, plain(typeset.Escaped(slip)))
		}
	}
	for _, note := range s.Notes {
		lines = append(lines, plain(note))
	}
	if s.Matched.Size == quantity.TooMuch || s.Matched.Disk == quantity.TooMuch {
		lines = append(lines, alarm("the sum is larger than this program can count; it is shown as the largest number"))
	}
	if s.Totals != nil && m.Folders > 0 {
		lines = append(lines, quiet(render.SumMark+" adds up everything in the folder, hidden or not"))
	}
	if s.Elsewhere != nil && s.Elsewhere.Files > 0 {
		lines = append(lines, quiet(units.Count(s.Elsewhere.Files, "extra hard link", "extra hard links")+" ("+
			v.Units.SizeText(s.Elsewhere.Size)+") not counted again"))
	}

	r := &s.Report
	if r.Texts.Files > 0 {
		lines = append(lines, quiet(textsLine(v, &r.Texts)))
	}
	for _, left := range []struct {
		count           int64
		one, many, rest string
	}{
		{r.Hidden, "hidden entry", "hidden entries", "not shown; --hidden shows them"},
		{r.Skipped, "folder", "folders", "skipped (--skip)"},
		{r.OtherDisks, "folder", "folders", "not read, because another file system starts there"},
		{r.Again, "entry", "entries", "named twice, and counted once"},
		{r.Repeated, "link", "links", "not followed, because the folder was read already"},
	} {
		if left.count > 0 {
			lines = append(lines, quiet(units.Count(left.count, left.one, left.many)+" "+left.rest))
		}
	}
	for _, text := range append(untold(s), unclear(s)...) {
		lines = append(lines, alarm(text))
	}
	if text := ProblemCount(s); text != "" {
		lines = append(lines, alarm(text))
	}
	if s.Stopped {
		lines = append(lines, alarm("stopped before everything was read"))
	}
	lines = v.Wrapped(lines)
	for _, line := range v.FunnelLines(s) {
		lines = append(lines, plain(line))
	}
	return lines
}

// textsLine says how much was read to look for text in files.
func textsLine(v *View, t *source.Texts) string {
	line := "looked for text in " + units.Count(t.Files, "file", "files") + ": " + v.Units.SizeText(t.Bytes) + " read"
	if t.Others > 0 {
		line += "; " + units.Count(t.Others, "is not text", "are not text")
	}
	if t.Guessed > 0 {
		line += "; " + units.Count(t.Guessed, "is not UTF-8 and was read as Latin-1", "are not UTF-8 and were read as Latin-1")
	}
	return line
}

// untold says of how many entries it is not known whether they match, and why.
func untold(s *Summary) []string {
	if s.Report.Unknown == 0 {
		return nil
	}
	type cause struct{ field, reason string }
	var causes []cause
	entries := map[cause]int64{} // 0 if several places have this cause: the sides of a pair share entries
	for _, p := range s.Report.Problems {
		if p.Untold == nil {
			continue
		}
		c := cause{p.Untold.Name, strings.TrimPrefix(p.Reason(), "it")}
		if slices.Contains(causes, c) {
			entries[c] = 0
			continue
		}
		causes, entries[c] = append(causes, c), p.Entries
	}
	var why []string
	for _, c := range causes {
		if n := entries[c]; n > 0 && n != s.Report.Unknown {
			c.field += " (" + units.Grouped(n) + ")"
		}
		why = append(why, c.field+c.reason)
	}
	return []string{"it is not known whether " + units.Count(s.Report.Unknown, "entry matches", "entries match") + ": " + strings.Join(why, ", ")}
}

// unclear says of how many entries a record of what met a condition does not tell.
func unclear(s *Summary) (lines []string) {
	for _, p := range s.Report.Problems {
		if p.Unclear {
			lines = append(lines, units.Count(p.Entries, "entry", "entries")+" may or may not have been there for "+typeset.Escaped(p.Path)+" too, because that record has only what met its condition")
		}
	}
	return lines
}

// sumText tells how many bytes of content there are, as far as that is known.
func (v *View) SumText(s *sums.Sum) string {
	switch {
	case !s.HasSize():
		return "an unknown number of bytes"
	case s.Unread > 0 || s.Sized < s.Files:
		return "at least " + v.Units.SizeText(s.Size)
	}
	return v.Units.SizeText(s.Size)
}

// contentText tells how many bytes of content there are in files, some of which may be
// of unknown size.
func (v *View) contentText(bytes, unsized int64) string {
	switch {
	case knownBytes(bytes, unsized) < 0:
		return "an unknown number of bytes"
	case unsized > 0:
		return "at least " + v.Units.SizeText(bytes)
	}
	return v.Units.SizeText(bytes)
}

// knownBytes is how many bytes of content there are in files, -1 if nothing is known of
// that.
func knownBytes(bytes, unsized int64) int64 {
	if unsized > 0 && bytes == 0 {
		return -1
	}
	return bytes
}

// shortSum tells the same in a few characters.
func (v *View) ShortSum(s *sums.Sum) string {
	switch {
	case !s.HasSize():
		return render.Absent
	case s.Sized < s.Files:
		return "≥ " + v.Units.SizeText(s.Size)
	}
	return v.Units.SizeText(s.Size)
}

// Effort says how much was read.
func Effort(r *source.Report) string {
	if r.Groups == 0 {
		return "read " + units.Count(r.Folders, "folder", "folders")
	}
	text := fmt.Sprintf("read %s of %s of entries in the record", units.Grouped(r.GroupsRead), units.Count(r.Groups, "group", "groups"))
	if r.GroupsRead < r.Groups {
		text += "; the summaries of the others show that they have no match"
	}
	return text
}

// FunnelLines say how many entries each condition let through, if that was
// counted.
func (v *View) FunnelLines(s *Summary) []string {
	if len(s.Funnel) == 0 {
		return nil
	}
	rows := [][2]string{{units.Grouped(s.Report.Tested), "looked at"}}
	for i, left := range s.Funnel {
		word := "and "
		if i == 0 {
			word = ""
		}
		text := word + typeset.Escaped(left.Condition)
		if left.Unknown > 0 {
			text += "  (not known of " + units.Grouped(left.Unknown) + ")"
		}
		rows = append(rows, [2]string{units.Grouped(left.Entries), text})
	}
	var lines []string
	for _, row := range rows {
		lines = append(lines, string(typeset.Fill(nil, layout.Indent+typeset.Width(rows[0][0])-typeset.Width(row[0])))+row[0]+"  "+row[1])
	}
	return lines
}

// KindCounts says how many of each kind of entry there are.
func KindCounts(s *Summary) string {
	m := &s.Matched
	var parts []string
	for _, kind := range []struct {
		count     int64
		one, many string
	}{
		{m.Folders, "folder", "folders"},
		{m.Files, "file", "files"},
		{m.Links, "link", "links"},
		{m.Others, "other", "others"},
	} {
		if kind.count > 0 {
			parts = append(parts, units.Count(kind.count, kind.one, kind.many))
		}
	}
	return strings.Join(parts, ", ")
}

// ProblemCount says how many places could not be read.
func ProblemCount(s *Summary) string {
	unread, vanished := s.counts()
	var parts []string
	if unread > 0 {
		parts = append(parts, units.Count(unread, "place", "places")+" could not be read")
	}
	if vanished > 0 {
		parts = append(parts, units.Count(vanished, "entry", "entries")+" vanished during the run")
	}
	return strings.Join(parts, ", ")
}

// AheadOfTime says that records are dated later than now.
const AheadOfTime = "some records are dated later than now: a clock was ahead when they were made"

// Day writes a moment as a report tells it: by the calendar.
func (v *View) Day(t time.Time) string { return t.In(v.Zone).Format("2006-01-02 15:04") }
