package ledger

import (
	"slices"

	"frankledger/core/row"
)

// Columns returns what records are shown with.
func Columns() []row.Column[*Record] {
	const programs, people = row.Programs, row.People
	text := func(name, meaning string, get func(*Record) string) row.Column[*Record] {
		return row.TextColumn(name, meaning, func(r *Record) (string, bool) { return get(r), get(r) != "" })
	}
	number := func(name, meaning string, t row.Type, get func(*Record) int64) row.Column[*Record] {
		return row.NumberColumn(name, meaning, t, func(r *Record) (int64, bool) { return get(r), true })
	}
	label := text("label", "the label it was made under", func(r *Record) string { return r.Label })
	host := text("host", "the machine", func(r *Record) string { return r.Host })
	place := text("place", "the full path of what was recorded", func(r *Record) string { return r.Place })
	note := text("note", "what was noted with it", func(r *Record) string { return r.Note }).LeftBlank().IfAny()
	return []row.Column[*Record]{
		label.For(people),
		number("number", "of the record", row.Number, func(r *Record) int64 { return r.Number }),
		label.For(programs),
		row.TimeColumn("taken", "when", func(r *Record) (row.Moment, bool) { return row.MomentOf(r.Taken), true }),
		host.For(programs), place.For(programs),
		number("count", "how many entries", row.Count, func(r *Record) int64 { return r.Entries }),
		row.NumberColumn("size", "bytes of content of files", row.Bytes, func(r *Record) (int64, bool) {
			return r.Bytes, r.Bytes > 0 || r.Unsized == 0
		}).AtLeast(func(r *Record) bool { return r.Unsized > 0 }),
		place.For(people), note.For(people),
		number("problems", "places that could not be read", row.Number, func(r *Record) int64 { return r.Problems }),
		number("stored", "bytes that the ledger keeps for it alone", row.Bytes, func(r *Record) int64 { return r.Stored }),
		text("algorithm", "the algorithm of its digests", func(r *Record) string { return r.Algorithm }).LeftBlank().IfAny(),
		host.For(people),
		text("terms", "the options and the condition it was made with", func(r *Record) string { return r.Terms.String() }).LeftBlank().IfAny(),
		note.For(programs),
		number("unsized", "files whose size is not known", row.Number, func(r *Record) int64 { return r.Unsized }).For(programs),
	}
}

// NewestFirst returns records as rows, the newest first.
func NewestFirst(records []Record) (list row.List[*Record]) {
	for i := range slices.Backward(records) {
		list = append(list, &records[i])
	}
	return list
}
