package ledger

import (
	"slices"
	"strconv"
	"strings"

	"frankledger/core/entry"
)

// Entries returns records as entries, the newest first, for the fields of
// Columns.
func Entries(records []Record) (list []*entry.Entry) {
	for _, r := range slices.Backward(records) {
		e := &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: r.Place, Full: r.Place}}, Self: true, More: &entry.More{Row: &r}}
		if r.Unsized > 0 {
			e.Marks |= entry.MarkAtLeast
		}
		list = append(list, e)
	}
	return list
}

func recordOf(e *entry.Entry) *Record { return e.More.Row.(*Record) }

func recordText(name, meaning string, get func(*Record) string) *entry.Field {
	return entry.TextField(name, meaning, func(e *entry.Entry) (string, bool) { return get(recordOf(e)), get(recordOf(e)) != "" })
}

func recordNumber(name, meaning string, t entry.Type, get func(*Record) int64) *entry.Field {
	return entry.NumberField(name, meaning, t, func(e *entry.Entry) (int64, bool) { return get(recordOf(e)), true })
}

// Columns returns the fields to show records with, for people or for programs.
func Columns(forPeople bool) []*entry.Field {
	number := recordNumber("number", "of the record", entry.Number, func(r *Record) int64 { return r.Number })
	label := recordText("label", "the label it was made under", func(r *Record) string { return r.Label })
	taken := entry.MomentField("taken", "when", func(e *entry.Entry) (entry.Time, bool) { return entry.TimeOf(recordOf(e).Taken), true })
	host := recordText("host", "the machine", func(r *Record) string { return r.Host })
	place := recordText("place", "the full path of what was recorded", func(r *Record) string { return r.Place })
	count := recordNumber("count", "how many entries", entry.Number, func(r *Record) int64 { return r.Entries })
	size := entry.NumberField("size", "bytes of content of files", entry.Bytes, func(e *entry.Entry) (int64, bool) {
		r := recordOf(e)
		return r.Bytes, r.Bytes > 0 || r.Unsized == 0
	})
	unsized := recordNumber("unsized", "files whose size is not known", entry.Number, func(r *Record) int64 { return r.Unsized })
	problems := recordNumber("problems", "places that could not be read", entry.Number, func(r *Record) int64 { return r.Problems })
	stored := recordNumber("stored", "bytes that the ledger keeps for it alone", entry.Bytes, func(r *Record) int64 { return r.Stored })
	algorithm := recordText("algorithm", "of the digests that were asked for", func(r *Record) string { return r.Algorithm })
	terms := recordText("terms", "the options and the condition it was made with", func(r *Record) string { return strings.Join(r.Terms, " ") })
	note := recordText("note", "what was noted with it", func(r *Record) string { return r.Note })
	if !forPeople {
		return []*entry.Field{number, label, taken, host, place, count, size, problems, stored, algorithm, terms, note, unsized}
	}
	return []*entry.Field{label, number, taken, count, size, place, note.LeftBlank(), problems, stored, algorithm.LeftBlank(), host, terms.LeftBlank()}
}

// SpanEntries returns the spans of a history as entries, for the fields of
// SpanColumns.
func SpanEntries(spans []Span) (list []*entry.Entry) {
	type series struct {
		place int64
		label string
	}
	last := map[series]*Span{}
	for i := range spans {
		e := spans[i].Entry
		e.Folder, e.Self = &entry.Folder{Place: &entry.Place{Given: spans[i].Path, Full: spans[i].Path}}, true
		more := entry.More{}
		if e.More != nil {
			more = *e.More
		}
		row := &spanRow{Span: &spans[i]}
		of := series{spans[i].First.place, spans[i].First.Label}
		row.before, last[of] = last[of], &spans[i]
		more.Row = row
		e.More = &more
		list = append(list, &e)
	}
	return list
}

// spanRow is a span and the one before it.
type spanRow struct {
	*Span
	before *Span
}

func spanOf(e *entry.Entry) *spanRow { return e.More.Row.(*spanRow) }

// Differences names the facts that differ from the state before; the time that
// details were altered only if nothing else tells.
func (r *spanRow) differences() (names []string) {
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

// SpanColumns returns the fields to show a history with, for people or for
// programs.
func SpanColumns(spans []Span, forPeople bool) []*entry.Field {
	label := entry.TextField("label", "of these records", func(e *entry.Entry) (string, bool) { return spanOf(e).First.Label, true })
	labels := false
	for i := range spans {
		labels = labels || spans[i].First.Label != spans[0].First.Label
	}
	first := entry.MomentField("first", "the record that has it so first", func(e *entry.Entry) (entry.Time, bool) { return entry.TimeOf(spanOf(e).First.Taken), true })
	last := entry.MomentField("last", "the record that has it so last", func(e *entry.Entry) (entry.Time, bool) { return entry.TimeOf(spanOf(e).Last.Taken), true })
	from := entry.NumberField("first_number", "number of the first of these records", entry.Number, func(e *entry.Entry) (int64, bool) { return spanOf(e).First.Number, true })
	to := entry.NumberField("last_number", "number of the last of these records", entry.Number, func(e *entry.Entry) (int64, bool) { return spanOf(e).Last.Number, true })
	records := entry.NumberField("records", "how many these are", entry.Number, func(e *entry.Entry) (int64, bool) { return int64(spanOf(e).Records), true })
	numbers := entry.TextField("records", "the numbers of these records", func(e *entry.Entry) (string, bool) {
		first, last := spanOf(e).First.Number, spanOf(e).Last.Number
		if first == last {
			return strconv.FormatInt(first, 10), true
		}
		return strconv.FormatInt(first, 10) + " to " + strconv.FormatInt(last, 10), true
	})
	kind := entry.TextField("kind", "what it was", func(e *entry.Entry) (string, bool) { return e.Kind.String(), spanOf(e).State == There })
	what := entry.TextField("what", "what it was, or that it was not there", func(e *entry.Entry) (string, bool) {
		if s := spanOf(e); s.State != There {
			return s.State.String(), true
		}
		return e.Kind.String(), true
	})
	state := entry.TextField("state", "there, absent, or not read", func(e *entry.Entry) (string, bool) { return spanOf(e).State.String(), true })
	differs := entry.TextField("differs", "what is different from the state before", func(e *entry.Entry) (string, bool) {
		names := spanOf(e).differences()
		return strings.Join(names, ", "), len(names) > 0
	})
	facts := func(names ...string) (fields []*entry.Field) {
		for _, name := range names {
			fields = append(fields, entry.FieldNamed(name))
		}
		return fields
	}
	if forPeople {
		columns := []*entry.Field{first, last, numbers}
		if labels {
			columns = append(columns, label)
		}
		columns = append(append(columns, what), facts("size", "modified", "permissions", "owner")...)
		return append(columns, differs.LeftBlank())
	}
	columns := append([]*entry.Field{first, last, from, to, records, label, state, differs, entry.FieldNamed("path"), kind}, facts("size", "disk", "modified", "accessed", "changed", "created", "mode", "owner", "group", "inode", "links", "target")...)
	return append(columns, facts(entry.AlgorithmNames()...)...)
}
