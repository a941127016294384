package ledger

import (
	"slices"

	"frankledger/core/entry"
)

// Entries returns records as entries, the newest first, for the fields of
// Columns.
func Entries(records []Record) (list []*entry.Entry) {
	for _, r := range slices.Backward(records) {
		list = append(list, &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: r.Place, Full: r.Place}}, Self: true, More: &entry.More{Row: &r}})
	}
	return list
}

func recordOf(e *entry.Entry) *Record { return e.More.Row.(*Record) }

func recordText(name, meaning string, get func(*Record) string) *entry.Field {
	return entry.TextField(name, meaning, func(e *entry.Entry) (string, bool) { return get(recordOf(e)), true })
}

// Columns returns the fields to show records with, for people or for programs.
func Columns(forPeople bool) []*entry.Field {
	number := entry.NumberField("number", "of the record", entry.Number, func(e *entry.Entry) (int64, bool) { return recordOf(e).Number, true })
	label := recordText("label", "the label it was made under", func(r *Record) string { return r.Label })
	taken := entry.MomentField("taken", "when", func(e *entry.Entry) (entry.Time, bool) { return entry.TimeOf(recordOf(e).Taken), true })
	host := recordText("host", "the machine", func(r *Record) string { return r.Host })
	place := recordText("place", "the full path of what was recorded", func(r *Record) string { return r.Place })
	count := entry.NumberField("count", "how many entries", entry.Number, func(e *entry.Entry) (int64, bool) { return recordOf(e).Entries, true })
	size := entry.NumberField("size", "bytes of content of files", entry.Bytes, func(e *entry.Entry) (int64, bool) { return recordOf(e).Bytes, true })
	note := entry.TextField("note", "what was noted with it", func(e *entry.Entry) (string, bool) { return recordOf(e).Note, recordOf(e).Note != "" })
	if forPeople {
		note.Blank = true
		return []*entry.Field{label, number, taken, count, size, place, note}
	}
	return []*entry.Field{number, label, taken, host, place, count, size, note}
}
