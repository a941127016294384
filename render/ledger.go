package render

import (
	"strconv"

	"frankledger/core/ledger"
)

// Written tells that a record was written, and what is different from the one
// before.
func (v *View) Written(dst []byte, r ledger.Record, c ledger.Changes, path string, s *Summary) []byte {
	if v.Plain {
		return dst
	}
	for _, line := range v.heading() {
		dst = append(v.Palette.put(dst, line, headingInk), '\n')
	}
	dst = append(dst, '\n')
	lines := []footerLine{{"written down as @" + r.Label + ", number " + strconv.FormatInt(r.Number, 10) + ": " + Count(r.Entries, "entry", "entries") + " · " +
		v.Units.SizeText(r.Bytes) + " in the files", plainInk}}
	switch {
	case c.First:
		lines = append(lines, footerLine{"the first record of this place", plainInk})
	case c.Added+c.Removed+c.Moved+c.Altered == 0:
		lines = append(lines, footerLine{"nothing has changed since the record before", plainInk})
	default:
		lines = append(lines, footerLine{"since the record before: " + Grouped(c.Added) + " added, " + Grouped(c.Removed) + " removed, " + Grouped(c.Moved) + " moved, " + Grouped(c.Altered) + " altered", plainInk})
	}
	if text := problemCount(s); text != "" {
		lines = append(lines, footerLine{text + ", and recorded as such", alarmInk})
	}
	lines = append(lines, footerLine{"the ledger is " + Escaped(path), quietInk})
	for _, line := range v.wrapped(lines) {
		dst = append(v.Palette.put(dst, line.text, line.ink), '\n')
	}
	return dst
}
