package render

import (
	"strconv"
	"strings"

	"frankledger/core/digest"
	"frankledger/core/ledger"
)

// Written tells that a record was written, and what is different from the one
// before.
func (v *View) Written(dst []byte, r ledger.Record, c ledger.Changes, path string, pool *digest.Pool, s *Summary) []byte {
	if v.Plain {
		return dst
	}
	for _, line := range v.heading() {
		dst = append(v.Palette.put(dst, line, headingInk), '\n')
	}
	dst = append(dst, '\n')
	lines := []footerLine{{"written down as @" + r.Label + ", number " + strconv.FormatInt(r.Number, 10) + ": " + Count(r.Entries, "entry", "entries") + " · " +
		v.contentText(r.Bytes, r.Unsized) + " in the files", plainInk}}
	switch {
	case c.First:
		lines = append(lines, footerLine{"the first record of this place", plainInk})
	default:
		lines = append(lines, footerLine{changesText(c), plainInk})
	}
	if pool != nil {
		text := "digests by " + r.Algorithm + ": " + Count(c.Digested, "file", "files") + " read, " + v.Units.SizeText(pool.Read())
		if c.Missing > 0 {
			text += "; " + Grouped(c.Missing) + " could not be read"
		}
		lines = append(lines, footerLine{text, plainInk})
	}
	if n := len(c.Unexplained); n > 0 {
		lines = append(lines, footerLine{"the content of " + Count(int64(n), "file", "files") + " is another than it was, though nothing about it says so", alarmInk})
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

// changesText says what is different from the record before.
func changesText(c ledger.Changes) string {
	var parts []string
	for _, one := range []struct {
		count int64
		word  string
	}{{c.Added, "added"}, {c.Removed, "removed"}, {c.Moved, "moved"}, {c.Altered, "altered"}} {
		if one.count > 0 {
			parts = append(parts, Grouped(one.count)+" "+one.word)
		}
	}
	if len(parts) == 0 {
		return "nothing has changed since the record before"
	}
	return "since the record before: " + strings.Join(parts, ", ")
}
