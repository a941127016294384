package report

import (
	"strings"

	"frankledger/core/checksum"
	"frankledger/core/digestlist"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// verifyStatusWidth is how wide the longest status is.
const verifyStatusWidth = len("unreadable")

// verified shows results of a verification to people: the status, the name, and
// for a file that is different its two digests, one above the other.
type verified struct{ *View }

// NewVerified returns the format for results.
func NewVerified(v *View) render.Format[*checksum.Result] { return verified{v} }

// Begin implements Format.
func (v verified) Begin(dst []byte, f render.Frame) []byte {
	if v.Plain {
		return dst
	}
	return append(v.AppendLines(dst, f.Heading()), '\n')
}

// Row implements Format.
func (v verified) Row(dst []byte, r *checksum.Result) []byte {
	status, ink := r.Status.String(), style.Alarm
	if r.Status == checksum.Same {
		ink = style.Plain
	}
	dst = v.Palette.Put(typeset.Fill(dst, layout.Indent), status, ink)
	dst = typeset.Fill(dst, verifyStatusWidth-len(status)+layout.Gap)
	name := typeset.Escaped(r.Name())
	if v.Width > 0 {
		name = typeset.Shorten(name, max(render.Shortest, v.Width-verifyStatusWidth-layout.Gap-layout.Indent))
	}
	dst = append(dst, name...)
	dst = append(dst, '\n')
	about := func(text string) {
		dst = v.Palette.Put(typeset.Fill(dst, layout.Indent+verifyStatusWidth+layout.Gap), text, style.Quiet)
		dst = append(dst, '\n')
	}
	switch r.Status {
	case checksum.Different:
		number, unit := v.Clock().Moment(r.Entry.Modified)
		about(v.Units.SizeText(r.Entry.Size) + ", altered " + strings.TrimSpace(number+" "+unit))
		if r.SizeDiffers() {
			about("on the list it has " + units.Grouped(r.Line.Size) + " B, and this has " + units.Grouped(r.Entry.Size) + " B")
			break
		}
		dst = v.digests(dst, r)
	case checksum.Moved:
		about("its content is now " + typeset.Escaped(r.Found.Relative()))
	case checksum.Unreadable:
		about(reasonText(r.Err))
	case checksum.Unlisted:
		about(v.Units.SizeText(r.Entry.Size) + ", not on the list")
	}
	return dst
}

// reasonText is the system's reason in words.
func reasonText(err error) string { return typeset.Escaped(err.Error()) }

// digests shows the digest that is expected above the one there is, with a mark
// under the first difference.
func (v verified) digests(dst []byte, r *checksum.Result) []byte {
	const expected, actual = "expected", "actual  "
	wanted, found, _ := r.Digests()
	at := 0
	for at < len(wanted) && at < len(found) && wanted[at] == found[at] {
		at++
	}
	space := layout.Indent + verifyStatusWidth + layout.Gap
	lines, others := []string{wanted}, []string{found}
	if v.Escape {
		width := v.Width - space - len(expected) - 1
		lines, others = typeset.WrapGroups(typeset.Groups(wanted), width), typeset.WrapGroups(typeset.Groups(found), width)
		at += at / typeset.DigitGroup // the spaces between groups
	}
	for i, line := range lines {
		for _, part := range []struct{ word, text string }{{expected, line}, {actual, others[min(i, len(others)-1)]}} {
			dst = v.Palette.Put(typeset.Fill(dst, space), part.word, style.Quiet)
			dst = append(append(append(dst, ' '), part.text...), '\n')
		}
		if at >= 0 && at < len(line) {
			before, mark := at, "^"
			switch words := "from here on"; {
			case at+len(words)+2 <= len(line):
				mark += " " + words
			case at > len(words):
				before, mark = at-len(words)-1, words+" "+mark
			}
			dst = typeset.Fill(dst, space+len(expected)+1+before)
			dst = append(v.Palette.Put(dst, mark, style.Alarm), '\n')
		}
		at -= len(line) + 1
	}
	return dst
}

// End implements Format.
func (v verified) End(dst []byte, f render.Frame) []byte {
	if v.Plain {
		return dst
	}
	if f.Rows() > 0 {
		dst = append(dst, '\n')
	}
	return v.AppendLines(dst, f.Footer())
}

// VerifySummary says what a verification came to.
func (v *View) VerifySummary(s *Summary, a *checksum.Checked, mistakes int) {
	var parts []string
	listed := int64(0)
	for _, status := range []checksum.Status{checksum.Same, checksum.Different, checksum.Missing, checksum.Moved, checksum.Unreadable, checksum.Unlisted} {
		n := int64(a.Counts[status])
		if status != checksum.Unlisted {
			listed += n
		}
		s.Numbers = append(s.Numbers, Number{status.String(), n})
		if n > 0 || status == checksum.Same {
			parts = append(parts, units.Grouped(n)+" "+status.String())
		}
	}
	s.Numbers = append(s.Numbers, Number{"mistakes", int64(mistakes)}, Number{"refused", int64(len(a.Refused))})
	s.Lead = strings.Join(parts, ", ") + " · " + units.Count(listed, "file", "files") + " listed"
	if tried, found := a.Tried(); len(tried) > 0 {
		note := "the list does not say by which algorithm; tried " + strings.Join(tried, ", ")
		if len(found) > 0 {
			note += ": it is " + strings.Join(found, ", ")
		}
		s.Notes = append(s.Notes, note)
	}
	if n := len(a.Refused); n > 0 {
		s.Notes = append(s.Notes, units.Count(int64(n), "name leads", "names lead")+" out of the folder, and were not read; --allow-outside reads them")
	}
	if mistakes > 0 {
		s.Notes = append(s.Notes, units.Count(int64(mistakes), "line of the list says", "lines of the list say")+" nothing that can be checked, or the opposite of an earlier line")
	}
}

// Expected tells in one line whether a file has the digest that was expected.
func Expected(r *checksum.Result, value digestlist.Digest) string {
	_, actual, algorithm := r.Digests()
	name, of := typeset.Escaped(r.Path()), algorithm.Name
	if len(value.Algorithms) > 1 {
		of += " (the digits could be of " + value.Names() + ")"
	}
	switch r.Status {
	case checksum.Same:
		return "same: " + name + " has this digest, " + of
	case checksum.Different:
		if len(value.Algorithms) > 1 {
			return "different: " + name + " does not have this digest, neither of " + strings.ReplaceAll(value.Names(), " or ", " nor of ") + "; its " + algorithm.Name + " is " + actual
		}
		return "different: " + name + " does not have this digest; its " + of + " is " + actual
	}
	return r.Status.String() + ": " + name
}
