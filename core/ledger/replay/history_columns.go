package replay

import (
	"slices"
	"strconv"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/row"
)

// Rows returns the spans of a history as rows, each with the one before it.
func Rows(spans []Span) (list row.List[*Span]) {
	type series struct {
		place int64
		label string
	}
	last := map[series]*Span{}
	for i := range spans {
		s := &spans[i]
		of := series{s.First.PlaceNumber, s.First.Label}
		s.before, last[of] = last[of], s
		list = append(list, s)
	}
	return list
}

// differences names the facts that differ from the state before; the time that
// details were altered only if nothing else tells.
func (r *Span) differences() (names []string) {
	if r.before == nil || r.before.State != There || r.State != There {
		return nil
	}
	a, b := &r.before.Entry, &r.Entry
	target := func(e *entry.Entry) string {
		if e.More == nil {
			return ""
		}
		return e.More.Target
	}
	known := (&entry.Entry{Known: a.Known & b.Known}).FirstDigest()
	for _, one := range []struct {
		name    string
		differs bool
	}{
		{"kind", a.Kind != b.Kind}, {"size", a.HasSize() && b.HasSize() && a.Size != b.Size}, {"target", target(a) != target(b)},
		{"content", known != 0 && a.More.Digests.Sum(known) != b.More.Digests.Sum(known)}, {"modified", a.Modified != b.Modified},
		{"mode", a.Permissions != b.Permissions}, {"owner", a.UID != b.UID}, {"group", a.GID != b.GID}, {"links", a.Links != b.Links}, {"inode", a.Inode != b.Inode},
		{"digest", a.Known&entry.FactDigests != b.Known&entry.FactDigests}, {"disk", a.Disk != b.Disk},
	} {
		if one.differs {
			names = append(names, one.name)
		}
	}
	if len(names) == 0 {
		names = append(names, "changed")
	}
	return names
}

// SpanColumns returns what a history is shown with.
func SpanColumns(spans []Span, c *entry.Context) []row.Column[*Span] {
	const programs, people = row.Programs, row.People
	number := func(name, meaning string, get func(*Span) int64) row.Column[*Span] {
		return row.NumberColumn(name, meaning, row.Number, func(s *Span) (int64, bool) { return get(s), true })
	}
	facts := func(to row.Readers, names ...string) []row.Column[*Span] {
		return row.AllThrough(row.Only(entry.ColumnsNamed(c, names...), to), func(s *Span) *entry.Entry { return &s.Entry })
	}
	label := row.TextColumn("label", "of these records", func(s *Span) (string, bool) { return s.First.Label, true })
	differs := row.TextColumn("differs", "what is different from the state before", func(s *Span) (string, bool) {
		names := s.differences()
		return strings.Join(names, ", "), len(names) > 0
	}).LeftBlank().Kept()
	columns := []row.Column[*Span]{
		row.TimeColumn("first", "the first record with this state", func(s *Span) (row.Moment, bool) { return row.MomentOf(s.First.Taken), true }),
		row.TimeColumn("last", "the last record with this state", func(s *Span) (row.Moment, bool) { return row.MomentOf(s.Last.Taken), true }),
		number("first_number", "number of the first of these records", func(s *Span) int64 { return s.First.Number }).For(programs),
		number("last_number", "number of the last of these records", func(s *Span) int64 { return s.Last.Number }).For(programs),
		number("records", "how many these are", func(s *Span) int64 { return int64(s.Records) }).For(programs),
		row.TextColumn("records", "the numbers of these records", func(s *Span) (string, bool) {
			if s.First.Number == s.Last.Number {
				return strconv.FormatInt(s.First.Number, 10), true
			}
			return strconv.FormatInt(s.First.Number, 10) + " to " + strconv.FormatInt(s.Last.Number, 10), true
		}).For(people),
		label.For(programs),
	}
	if slices.ContainsFunc(spans, func(s Span) bool { return s.First.Label != spans[0].First.Label }) {
		columns = append(columns, label.For(people))
	}
	columns = append(columns,
		row.TextColumn("what", "its kind, or that it was not there", func(s *Span) (string, bool) {
			if s.State != There {
				return s.State.String(), true
			}
			return s.Entry.Kind.String(), true
		}).For(people),
		row.TextColumn("state", "there, absent, or not read", func(s *Span) (string, bool) { return s.State.String(), true }).For(programs),
		differs.For(programs),
		row.TextColumn("path", "the full path", func(s *Span) (string, bool) { return s.Path, true }).For(programs),
		row.TextColumn("kind", "what it was", func(s *Span) (string, bool) { return s.Entry.Kind.String(), s.State == There }).For(programs))
	columns = append(columns, facts(people, "size", "modified", "permissions", "owner")...)
	columns = append(columns, differs.For(people))
	columns = append(columns, facts(programs, "size", "disk", "modified", "accessed", "changed", "created", "mode", "owner", "group", "inode", "links", "target")...)
	return append(columns, facts(programs, entry.AlgorithmNames()...)...)
}
