package report

import (
	"strconv"
	"strings"

	"frankledger/core/digest"
	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/render"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Written tells that a record was written, and what is different from the one
// before.
func (v *View) Written(dst []byte, r ledger.Record, c recording.Changes, path string, pool *digest.Pool, s *Summary) []byte {
	if v.Plain {
		return dst
	}
	dst = v.AppendLines(dst, v.heading())
	dst = append(dst, '\n')
	lines := []render.Line{plain("recorded as @" + r.Label + ", number " + strconv.FormatInt(r.Number, 10) + ": " + units.Count(r.Entries, "entry", "entries") + " · " +
		v.contentText(r.Bytes, r.Unsized) + " in the files")}
	switch {
	case c.First:
		lines = append(lines, plain("the first record of this place"))
	case c.Before == nil:
		lines = append(lines, plain("the first record of this place with these options"))
	default:
		lines = append(lines, plain(changesText(r, c)))
	}
	if before := c.Labelled; before != nil {
		terms := before.Terms.Choosing()
		made := "left nothing out"
		if text := terms.String(); text != "" {
			made = "was made with other options (" + typeset.Escaped(text) + ")"
		}
		lines = append(lines, alarm("the record before under @"+r.Label+" "+made+"; only what both contain can be compared"))
	}
	switch {
	case r.Terms.Quick:
		lines = append(lines, plain(units.Count(s.Report.Folders, "folder was", "folders were")+" read, "+units.Grouped(c.Kept)+" copied from the record before, because their times had not changed; frank did not look for files altered in place"))
	case c.Quick && !c.First:
		lines = append(lines, plain("everything was read, because no earlier record was made with the same options"))
	}
	if pool != nil {
		text := "digests by " + r.Algorithm + ": " + units.Count(c.Digested, "file", "files") + " read, " + v.Units.SizeText(pool.Read())
		if c.Missing > 0 {
			text += "; " + units.Grouped(c.Missing) + " could not be read"
		}
		lines = append(lines, plain(text))
	}
	if c.Reread > 0 {
		lines = append(lines, plain("read again although they look unchanged: "+units.Count(c.Reread, "file", "files")))
	}
	if n := len(c.Unexplained); n > 0 {
		lines = append(lines, alarm("the content of "+units.Count(int64(n), "file", "files")+" changed, although size and times did not; frank ledger accept @"+r.Label+" accepts that"))
	}
	if text := ProblemCount(s); text != "" {
		lines = append(lines, alarm(text+", which is recorded too"))
	}
	lines = append(lines, quiet("the ledger is "+typeset.Escaped(ledger.Shown(path))))
	for _, line := range v.Wrapped(lines) {
		dst = append(v.Palette.Put(dst, line.Text, line.Style), '\n')
	}
	return dst
}

// changesText says what is different from the record before.
func changesText(r ledger.Record, c recording.Changes) string {
	var parts []string
	for _, one := range []struct {
		count int64
		word  string
	}{{c.Added, "added"}, {c.Removed, "removed"}, {c.Moved, "moved"}, {c.Altered, "altered"}, {c.Details, "with other details"}, {c.Unclear, "unclear"}} {
		if one.count > 0 {
			parts = append(parts, units.Grouped(one.count)+" "+one.word)
		}
	}
	before := "the record before"
	if c.Before.Label != r.Label || c.Labelled != nil {
		before = "record " + strconv.FormatInt(c.Before.Number, 10) + " (@" + c.Before.Label + "), the last with the same options"
	}
	if len(parts) == 0 {
		return "nothing has changed since " + before
	}
	return "since " + before + ": " + strings.Join(parts, ", ")
}
