// Package ledger keeps what was found at places, dated, and reads it back as a
// source of entries.
//
// A place that is recorded again costs what has changed. Of each folder the
// first record has all entries, packed into a piece, and a later one has a piece
// with only those that are new, different or gone. What a folder held at a
// record is all its pieces up to that record, laid over one another. Each folder
// also has a seal, a digest over its entries and the seals of the folders in it:
// where the seal is the same as before, nothing below is looked at again.
//
// The pieces of many folders make a sheet, which is what a [Store] keeps. A store
// is one SQLite file today. A record is one change of the store: it has all of
// it or nothing.
package ledger

import (
	"context"
	"errors"
	"slices"
	"time"

	"frankledger/core/entry"
)

// What can be wrong with a ledger.
var (
	ErrNone     = errors.New("there is no ledger yet")
	ErrForeign  = errors.New("it is no ledger")
	ErrNoFile   = errors.New("it is a pipe, a socket or a device, and no ledger")
	ErrChanged  = errors.New("another program has changed it meanwhile; run this again")
	ErrNewer    = errors.New("it was written by a newer version of this program")
	ErrDamaged  = errors.New("it is damaged")
	ErrBusy     = errors.New("another program has been using it for half a minute")
	ErrReadOnly = errors.New("it may only be read")
	ErrFull     = errors.New("there is no room left to write to; nothing was changed")
)

// ErrNoRecord is returned for a record that there is not.
var ErrNoRecord = errors.New("there is no such record")

// Ledger is an open ledger.
type Ledger struct{ store Store }

// Open opens the ledger in a file to read from it. One of an older version is
// brought up to this one first.
func Open(ctx context.Context, path string) (*Ledger, error) { return opened(openFile(ctx, path)) }

// Create opens the ledger in a file to write to it, and makes it if there is
// none.
func Create(ctx context.Context, path string) (*Ledger, error) { return opened(createFile(ctx, path)) }

func opened(store *file, err error) (*Ledger, error) {
	if err != nil {
		return nil, err
	}
	return &Ledger{store}, nil
}

// Release lets others change the ledger again, which they cannot while it is read.
// It is called when all is read that is needed.
func (l *Ledger) Release() { l.store.Release() }

// Close closes the ledger.
func (l *Ledger) Close() error { return l.store.Close() }

// Record is one record of one place.
type Record struct {
	Number    int64
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

	place int64       // number of the place in the store
	seal  seal        // of all that was taken
	self  entry.Entry // the place itself, if that is known
}

// Records returns all records, the oldest first.
func (l *Ledger) Records(ctx context.Context) ([]Record, error) { return l.store.Records(ctx) }

// ofPlace returns the records of a place.
func ofPlace(records []Record, host, path string) []Record {
	return slices.DeleteFunc(slices.Clone(records), func(r Record) bool { return r.Host != host || r.Place != path })
}

// Compact gives back the room that was freed by dropping records.
func (l *Ledger) Compact(ctx context.Context) error { return l.store.Compact(ctx) }

// Volumes returns the numbers that file systems have in the records of a place, by
// what tells them apart; see Taking.Recognise.
func (l *Ledger) Volumes(ctx context.Context, host, path string) (map[string]uint64, error) {
	records, err := l.store.Records(ctx)
	if err != nil {
		return nil, err
	}
	earlier := ofPlace(records, host, path)
	if len(earlier) == 0 {
		return nil, nil
	}
	return l.store.Volumes(ctx, earlier[0].place)
}

// LastAlgorithm returns the algorithm that digests were last taken by of a place,
// "" if they never were.
func (l *Ledger) LastAlgorithm(ctx context.Context, host, path string) (name string, err error) {
	records, err := l.store.Records(ctx)
	for _, r := range ofPlace(records, host, path) {
		if r.Algorithm != "" {
			name = r.Algorithm
		}
	}
	return name, err
}
