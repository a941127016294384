package ledger

import (
	"context"
	"slices"

	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/postgres"
	"frankledger/core/ledger/store/sqlite"
)

// Ledger is an open ledger.
type Ledger struct {
	Store  store.Store
	Chosen []string // whose records are meant where none is named; nil for all
}

// In returns the ledger that a store keeps.
func In(s store.Store) *Ledger { return &Ledger{Store: s} }

// Open opens a ledger to read from it: in a file, or in a database if it is named as PostgreSQL's
// connection strings are. A file of an older version is brought up to this one first.
func Open(ctx context.Context, name string) (*Ledger, error) {
	switch {
	case postgres.Is(name):
		return opened(postgres.Open(ctx, name))
	case postgres.Doubtful(name):
		return nil, ErrDoubtful
	}
	return opened(sqlite.Open(ctx, name))
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
	return opened(sqlite.Create(ctx, name))
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
func (l *Ledger) Release() { l.Store.Release() }

// Close closes the ledger.
func (l *Ledger) Close() error { return l.Store.Close() }

// Records returns all records, of the hosts that the ledger is to tell of, the oldest first.
//
// Which is older, among the records of a host, goes by their turns: the order in which the machine made
// them, whatever its clock said, and in whatever order they came here. Between hosts, turns are about what
// the clocks said.
func (l *Ledger) Records(ctx context.Context) (records []Record, err error) {
	err = Retry(ctx, func() (err error) {
		records, err = RecordsIn(ctx, l.Store)
		return err
	})
	if len(l.Chosen) > 0 {
		records = slices.DeleteFunc(records, func(r Record) bool { return !slices.Contains(l.Chosen, r.Host) })
	}
	return records, err
}

// Volumes returns the numbers that file systems have in the records of a place, by their identity; see
// recording.Snapshot.Recognise.
func (l *Ledger) Volumes(ctx context.Context, host, path string) (volumes map[string]uint64, err error) {
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	earlier := OfPlace(records, host, path)
	if len(earlier) == 0 {
		return nil, nil
	}
	err = Retry(ctx, func() (err error) {
		volumes, err = l.Store.Volumes(ctx, earlier[0].PlaceNumber)
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
