// Package ledger keeps what was found at places, dated, and reads it back as a
// source of entries.
//
// A place that is recorded again costs what has changed: see the packages below for
// how it is packed (encoding), where it is kept (store) and how it travels
// (transfer). A record is one change of the store: it has all of it or nothing.
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
	"frankledger/core/ledger/store/postgres"
	"frankledger/core/ledger/transfer"
)

// What can be wrong with a ledger, or with the lines of one.
var (
	ErrNone     = store.ErrNone
	ErrNewer    = store.ErrNewer
	ErrDamaged  = encoding.ErrDamaged
	ErrLines    = transfer.ErrLines
	ErrCutShort = transfer.ErrCutShort
)

// ErrNoRecord is returned for a record that does not exist.
var ErrNoRecord = errors.New("there is no such record")

// Ledger is an open ledger.
type Ledger struct {
	store store.Store
	hosts []string // whose records are meant where none is named; nil for all
}

// In returns the ledger that a store keeps.
func In(s store.Store) *Ledger { return &Ledger{store: s} }

// Open opens a ledger to read from it: in a file, or in a database if it is named as PostgreSQL's
// connection strings are. A file of an older version is brought up to this one first.
func Open(ctx context.Context, name string) (*Ledger, error) {
	switch {
	case postgres.Is(name):
		return opened(postgres.Open(ctx, name))
	case postgres.Doubtful(name):
		return nil, ErrDoubtful
	}
	return opened(store.Open(ctx, name))
}

// Create opens a ledger to write to it. A file is made if there is none; a database has to be
// prepared.
func Create(ctx context.Context, name string) (*Ledger, error) {
	switch {
	case postgres.Is(name):
		return opened(postgres.Create(ctx, name))
	case postgres.Doubtful(name):
		return nil, ErrDoubtful
	}
	return opened(store.Create(ctx, name))
}

// Await opens a ledger to write to it as [Create] does, and waits for a server that does not answer.
func Await(ctx context.Context, name string) (*Ledger, error) {
	if postgres.Is(name) {
		return opened(postgres.Await(ctx, name))
	}
	return Create(ctx, name)
}

func opened(s store.Store, err error) (*Ledger, error) {
	if err != nil {
		return nil, err
	}
	return In(s), nil
}

// Release lets others change the ledger again, which they cannot while it is read.
// It is called when all is read that is needed.
func (l *Ledger) Release() { l.store.Release() }

// Close closes the ledger.
func (l *Ledger) Close() error { return l.store.Close() }

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

	place int64         // number of the place in the store
	tree  encoding.Hash // of all that was taken
	self  entry.Entry   // the place itself, if that is known
	// damaged says that not all of its row could be read, where others share the ledger: that
	// is no reason not to tell of these.
	damaged bool
}

// recordOf returns the record of a row.
func recordOf(row store.RecordRow) (Record, error) {
	self, ok := encoding.UnpackSelf(row.Self)
	if !ok && !row.Damaged {
		return Record{}, fmt.Errorf("%w: record %d", ErrDamaged, row.Number)
	}
	return Record{Number: row.Number, Turn: row.Turn, Label: row.Label, Host: row.Host, Place: row.Path, Taken: row.Taken, Note: row.Note, Terms: ParseTerms(row.Terms), Algorithm: row.Algorithm,
		Entries: row.Entries, Bytes: row.Bytes, Unsized: row.Unsized, Problems: row.Problems, Stored: row.Stored,
		Looked: row.Looked, Hidden: row.Hidden, Counted: row.Counted, place: row.Place, tree: row.Tree, self: self, damaged: row.Damaged}, nil
}

// row returns the row of a record.
func (r *Record) row() store.RecordRow {
	return store.RecordRow{Number: r.Number, Turn: r.Turn, Place: r.place, Host: r.Host, Path: r.Place, Label: r.Label, Taken: r.Taken, Note: r.Note, Terms: r.Terms.Words(), Algorithm: r.Algorithm,
		Entries: r.Entries, Bytes: r.Bytes, Unsized: r.Unsized, Looked: r.Looked, Hidden: r.Hidden, Counted: r.Counted, Tree: r.tree, Self: encoding.PackSelf(&r.self)}
}

// recordsIn returns all records of a store, in their order.
func recordsIn(ctx context.Context, from store.Reader) ([]Record, error) {
	rows, err := from.Records(ctx)
	if err != nil {
		return nil, err
	}
	return recordsOf(rows)
}

func recordsOf(rows []store.RecordRow) (records []Record, err error) {
	records = make([]Record, len(rows))
	for i, row := range rows {
		if records[i], err = recordOf(row); err != nil {
			return nil, err
		}
	}
	return inOrder(records), nil
}

// Records returns all records, of the hosts that the ledger is to tell of, the oldest first.
//
// Which is older, among the records of a host, goes by their turns: the order in which the machine made
// them, whatever its clock said, and in whatever order they came here. Between hosts, turns are about what
// the clocks said.
func (l *Ledger) Records(ctx context.Context) (records []Record, err error) {
	err = retried(ctx, func() (err error) {
		records, err = recordsIn(ctx, l.store)
		return err
	})
	if len(l.hosts) > 0 {
		records = slices.DeleteFunc(records, func(r Record) bool { return !slices.Contains(l.hosts, r.Host) })
	}
	return records, err
}

// ofPlace returns the records of a place in the order in which they were written: each is packed by
// what is different from the one before.
func ofPlace(records []Record, host, path string) []Record {
	of := slices.DeleteFunc(slices.Clone(records), func(r Record) bool { return r.Host != host || r.Place != path })
	slices.SortFunc(of, byNumber)
	return of
}

func byNumber(a, b Record) int { return cmp.Compare(a.Number, b.Number) }

// Volumes returns the numbers that file systems have in the records of a place, by
// what tells them apart; see Snapshot.Recognise.
func (l *Ledger) Volumes(ctx context.Context, host, path string) (volumes map[string]uint64, err error) {
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	earlier := ofPlace(records, host, path)
	if len(earlier) == 0 {
		return nil, nil
	}
	err = retried(ctx, func() (err error) {
		volumes, err = l.store.Volumes(ctx, earlier[0].place)
		return err
	})
	return volumes, err
}

// LastAttributes reports whether attributes were asked for in the last record of a place.
func (l *Ledger) LastAttributes(ctx context.Context, host, path string) (bool, error) {
	records, err := l.Records(ctx)
	attributes := false
	for _, r := range records {
		if r.Host == host && r.Place == path {
			attributes = r.Terms.Attributes
		}
	}
	return attributes, err
}

// LastAlgorithm returns the algorithm that digests were last taken by of a place,
// "" if they never were.
func (l *Ledger) LastAlgorithm(ctx context.Context, host, path string) (name string, err error) {
	records, err := l.Records(ctx)
	for _, r := range records {
		if r.Host == host && r.Place == path && r.Algorithm != "" {
			name = r.Algorithm
		}
	}
	return name, err
}
