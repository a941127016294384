package ledger

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
)

// Record is one record of one place.
type Record struct {
	Number    int64
	Turn      int64 // in which the machine made it, among all of its records; see [Ledger.Records]
	Label     string
	Host      string
	Place     string // full path, exact bytes
	Taken     time.Time
	Note      string
	Terms     Terms
	Algorithm string // of the digests that were asked for; "" for none
	Entries   int64
	Bytes     int64 // of content of files, as far as their sizes are known
	Unsized   int64 // files whose size is not known
	Problems  int64 // places that could not be read
	Stored    int64 // bytes that the store keeps of it alone
	// Looked is how many entries there are to look at where hidden ones, and what is in
	// hidden folders, are left out; Hidden is how many are hidden, without those in hidden
	// folders. Counted tells whether both are known.
	Looked, Hidden int64
	Counted        bool

	PlaceNumber int64         // number of the place in the store
	Tree        encoding.Hash // of all that was taken
	Self        entry.Entry   // the place itself, if that is known
	// Damaged says that not all of its row could be read, where others share the ledger: that
	// is no reason not to tell of these.
	Damaged bool
}

// RecordOf returns the record of a row.
func RecordOf(row store.RecordRow) (Record, error) {
	self, ok := encoding.UnpackSelf(row.Self)
	if !ok && !row.Damaged {
		return Record{}, fmt.Errorf("%w: record %d", ErrDamaged, row.Number)
	}
	return Record{Number: row.Number, Turn: row.Turn, Label: row.Label, Host: row.Host, Place: row.Path, Taken: row.Taken, Note: row.Note, Terms: ParseTerms(row.Terms), Algorithm: row.Algorithm,
		Entries: row.Entries, Bytes: row.Bytes, Unsized: row.Unsized, Problems: row.Problems, Stored: row.Stored,
		Looked: row.Looked, Hidden: row.Hidden, Counted: row.Counted, PlaceNumber: row.Place, Tree: row.Tree, Self: self, Damaged: row.Damaged}, nil
}

// Row returns the row of a record.
func (r *Record) Row() store.RecordRow {
	return store.RecordRow{Number: r.Number, Turn: r.Turn, Place: r.PlaceNumber, Host: r.Host, Path: r.Place, Label: r.Label, Taken: r.Taken, Note: r.Note, Terms: r.Terms.Words(), Algorithm: r.Algorithm,
		Entries: r.Entries, Bytes: r.Bytes, Unsized: r.Unsized, Looked: r.Looked, Hidden: r.Hidden, Counted: r.Counted, Tree: r.Tree, Self: encoding.PackSelf(&r.Self)}
}

// RecordsIn returns all records of a store, in their order.
func RecordsIn(ctx context.Context, from store.Reader) ([]Record, error) {
	rows, err := from.Records(ctx)
	if err != nil {
		return nil, err
	}
	return recordsOf(rows)
}

func recordsOf(rows []store.RecordRow) (records []Record, err error) {
	records = make([]Record, len(rows))
	for i, row := range rows {
		if records[i], err = RecordOf(row); err != nil {
			return nil, err
		}
	}
	return inOrder(records), nil
}

// OfPlace returns the records of a place in the order in which they were written: each is packed by
// what is different from the one before.
func OfPlace(records []Record, host, path string) []Record {
	of := slices.DeleteFunc(slices.Clone(records), func(r Record) bool { return r.Host != host || r.Place != path })
	slices.SortFunc(of, ByNumber)
	return of
}

// ByNumber compares records by the order in which the store got them.
func ByNumber(a, b Record) int { return cmp.Compare(a.Number, b.Number) }

// ProblemOf returns the problem of a row.
func ProblemOf(row store.ProblemRow) source.Problem {
	return source.Problem{Path: row.Path, Tried: row.Tried, Err: errors.New(row.Reason), Entries: row.Entries, Vanished: row.Vanished}
}

// UnlessDamaged returns errors other than that something is damaged.
func UnlessDamaged(err error) error {
	if errors.Is(err, ErrDamaged) {
		return nil
	}
	return err
}

// inOrder puts records in the order of their turns.
func inOrder(records []Record) []Record {
	slices.SortStableFunc(records, ByTurn)
	return records
}

// ByTurn compares records as CompareTurns does.
func ByTurn(a, b Record) int { return CompareTurns(&a, &b) }

// CompareTurns compares records by the order in which their machine made them.
func CompareTurns(a, b *Record) int {
	return cmp.Or(cmp.Compare(a.Turn, b.Turn), cmp.Compare(a.Number, b.Number))
}
