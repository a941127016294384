package ledger

import (
	"context"

	"frankledger/core/source"
)

// Store is where a ledger is kept: one file, and one day a database that the
// machines of a fleet share. It knows places by host and path, records, problems
// and sheets, and nothing of what is packed in these.
type Store interface {
	Shelf
	// Update makes changes, all or none of them, while nobody else does.
	Update(ctx context.Context, change func(Update) error) error
	// Check returns what is wrong with the store itself, a line each.
	Check(ctx context.Context) ([]string, error)
	// Altered returns the records of which something is not as it was written, apart
	// from their sheets.
	Altered(ctx context.Context) ([]int64, error)
	// Release ends the moment at which the store is read: until then everything is
	// read as it was at one moment, and nobody can change it.
	Release()
	// Compact gives back room that is free.
	Compact(ctx context.Context) error
	Close() error
}

// Shelf is a store as it is read.
type Shelf interface {
	// Records returns all records, the oldest first.
	Records(ctx context.Context) ([]Record, error)
	// Problems returns what could not be read when a record was taken. The paths
	// are ways from the place.
	Problems(ctx context.Context, record int64) ([]source.Problem, error)
	// Sheets returns the sheets of a place up to a record, in order of records,
	// without their names and facts.
	Sheets(ctx context.Context, place, upTo int64) ([]Sheet, error)
	// Volumes returns the numbers that file systems have in the records of a
	// place, by what tells them apart.
	Volumes(ctx context.Context, place int64) (map[string]uint64, error)
	// Part returns the names or the facts of a sheet.
	Part(ctx context.Context, sheet int64, part Part) ([]byte, error)
}

// Update is a store as it is changed.
type Update interface {
	Shelf
	// AddRecord adds a record, with the number it has or, if that is 0, the next
	// one, and returns both numbers.
	AddRecord(ctx context.Context, r Record) (number, place int64, err error)
	// AddProblem adds a problem to a record.
	AddProblem(ctx context.Context, record int64, p source.Problem) error
	// AddVolume adds a file system, and the number it has in the records of a
	// place, unless it is there.
	AddVolume(ctx context.Context, place int64, id string, device uint64) error
	// AddSheet adds a sheet; its number is chosen.
	AddSheet(ctx context.Context, s Sheet) error
	// RemoveSheets removes the sheets of a record.
	RemoveSheets(ctx context.Context, record int64) error
	// RemoveRecord removes a record with its problems and, if it was the last of
	// its place, that.
	RemoveRecord(ctx context.Context, record int64) error
}

// Sheet is what a record says of some folders.
type Sheet struct {
	Number  int64
	Place   int64
	Record  int64
	Folders []byte // what folders, with their seals, and how long their pieces are
	Names   []byte // the names of these pieces, one after the other
	Facts   []byte // their facts
}

// Part is a part of a sheet that is read by itself.
type Part uint8

const (
	Names Part = iota
	Facts
)
