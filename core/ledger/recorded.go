package ledger

import "frankledger/core/source"

// Recorded is a source of what a record has.
type Recorded interface {
	source.Source
	Record() Record
	// Relative is the path from the place of the record to what is read of it; "" for all.
	Relative() string
}

// SourceRecord returns the record behind a source, and whether there is one.
func SourceRecord(s source.Source) (Record, bool) {
	if of, is := s.(Recorded); is {
		return of.Record(), true
	}
	return Record{}, false
}
