// Package store says what a ledger is kept in: an interface, and the rows that go through it. The
// packages below it are the engines: sqlite keeps a ledger in one file, postgres in a database that the
// machines of a fleet share. A store knows places by host and path, records, problems and segments, and
// nothing of what is packed in these.
package store

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"

	"frankledger/core/ledger/encoding"
)

// What can be wrong with a store, besides [encoding.ErrDamaged].
var (
	ErrNone     = errors.New("there is no ledger yet")
	ErrForeign  = errors.New("not a ledger")
	ErrNoFile   = errors.New("not a ledger, but a pipe, a socket or a device")
	ErrChanged  = errors.New("another program changed the ledger meanwhile; run this again")
	ErrNewer    = errors.New("written by a newer version of this program")
	ErrBusy     = errors.New("another program has been using the ledger for half a minute")
	ErrReadOnly = errors.New("the ledger is read-only")
	ErrFull     = errors.New("no space left; nothing was changed")
	ErrAgain    = errors.New("nothing was changed, and it can be done again")
	ErrNumbers  = fmt.Errorf("%w, at once: there were too few numbers for records", ErrAgain)
)

// Store is where a ledger is kept. It may be used by several goroutines.
type Store interface {
	Reader
	// Update makes changes, all or none of them, while nobody else does.
	Update(ctx context.Context, change func(Update) error) error
	// Check returns what is wrong with the store itself, a line each.
	Check(ctx context.Context) ([]string, error)
	// Altered returns the records of which something is not as it was written, apart
	// from their segments.
	Altered(ctx context.Context) ([]int64, error)
	// Release ends the moment at which the store is read: until then everything is
	// read as it was at one moment, and nobody can change it.
	Release()
	// Compact gives back room that is free.
	Compact(ctx context.Context) error
	Close() error

	// Only has Records tell of the records of these hosts only; of all if none are named.
	Only(hosts ...string)
	// Hosts returns all hosts that have records, or had some, as far as this login may know.
	Hosts(ctx context.Context) ([]string, error)
	// Select returns the records of a choice, of all hosts that it is about, by host and label,
	// the newest first.
	Select(ctx context.Context, c Choice) ([]RecordRow, error)
	// Moments returns when records of a choice were taken, in the same order.
	Moments(ctx context.Context, c Choice) ([]MomentRow, error)
	// Laid returns the bytes of all layers that there are, of the hosts that Records tells of, by their
	// records.
	Laid(ctx context.Context) (map[int64]int64, error)

	// Shared reports whether many machines write to it at once: then a change can meet another one, and is
	// made again.
	Shared() bool
	// Reserve has a number be given out for the next record that is added of a host, where that is done
	// outside of updates.
	Reserve(ctx context.Context, host string) error
	// Hold has everything that is read from now on be of one moment, until Release or Update.
	Hold()
	// Wide has it read by several connections at once, as it was at one moment.
	Wide()
	// Firsts returns what the readings of several records need first, by their numbers. It is nil where
	// they are read as fast one by one.
	Firsts(ctx context.Context, of []Key) (map[int64]*First, error)
	// Identify says which machine it is that writes of a host.
	Identify(host string, machine []byte)
	// TellWaiting has a function be called, with the host, when another program that writes of that has
	// to be waited for longer than a moment.
	TellWaiting(tell func(host string))
	// Namesake reports whether another machine had written of the host before.
	Namesake() bool
	// Salvage returns what reads it bit by bit where it is damaged, and tells a function what is lost.
	Salvage(lost func(what string)) Reader
}

// Choice says which records are meant.
type Choice struct {
	Hosts  []string  // nil for all
	Number int64     // the one with this number; 0 for what the rest says
	Label  string    // "" for all
	Before time.Time // taken before this; zero for whenever
	Newest int       // so many of each host and label, by their turns
}

// Key says which record is meant.
type Key struct {
	Place, Number int64
	Small         bool // so that all of it is needed first
}

// First is what the reading of a record needs first.
type First struct {
	Problems []ProblemRow
	Of       Range        // what has to be read of the place
	Bands    []BandRow    // but of a small record
	Segments []SegmentRow // of a small record; those that are short with their names and facts
}

// MomentRow is when a record was taken.
type MomentRow struct {
	Host, Label string
	Taken       time.Time
}

// Reader is a store as it is read.
type Reader interface {
	// Records returns all records, in the order in which they were added.
	Records(ctx context.Context) ([]RecordRow, error)
	// Problems returns what could not be read when a record was made.
	Problems(ctx context.Context, record int64) ([]ProblemRow, error)
	// Segments returns segments of a place in order of records, without their names and
	// facts.
	Segments(ctx context.Context, of Range) ([]SegmentRow, error)
	// Layers returns the layers of a place, the oldest first.
	Layers(ctx context.Context, place int64) ([]LayerRow, error)
	// Volumes returns the numbers that file systems have in the records of a
	// place, by what tells them apart.
	Volumes(ctx context.Context, place int64) (map[string]uint64, error)
	// Stamps returns what SetStamps was given, if the record is still the one that it was of.
	Stamps(ctx context.Context, place, record int64) ([]byte, error)
	// Rereads returns when content of a place was read again, the oldest first.
	Rereads(ctx context.Context, place int64) ([]RereadRow, error)
	// Mismatches returns the files of a place whose content is not what it was.
	Mismatches(ctx context.Context, place int64) ([]MismatchRow, error)
	// Bands returns bands of a place, in order of records.
	Bands(ctx context.Context, of Range) ([]BandRow, error)
	// BandPart returns a part of a band.
	BandPart(ctx context.Context, band int64, part int) ([]byte, error)
	// Part returns the names, the facts or the folders of a segment.
	Part(ctx context.Context, segment int64, part Part) ([]byte, error)
	// Dropped returns what AddDropped was given of a host.
	Dropped(ctx context.Context, host string) (map[string]bool, error)
}

// Update is a store as it is changed.
type Update interface {
	Reader
	// AddRecord adds a record, with the number it has or, if that is 0, the next
	// one, and returns both numbers. Its place is known by host and path.
	AddRecord(ctx context.Context, r RecordRow) (number, place int64, err error)
	// Stored returns how many bytes the segments of a record take, without its layer.
	Stored(ctx context.Context, place, record int64) (int64, error)
	// AddProblem adds a problem to a record.
	AddProblem(ctx context.Context, record int64, p ProblemRow) error
	// AddVolume adds a file system, and the number it has in the records of a
	// place, unless it is there.
	AddVolume(ctx context.Context, place int64, id string, device uint64) error
	// SetStamps keeps by what the folders of a place, as they were at its newest record, can be
	// known again.
	SetStamps(ctx context.Context, place, record int64, stamps []byte) error
	// AddReread adds that content of a place was read again.
	AddReread(ctx context.Context, place int64, r RereadRow) error
	// AddMismatch adds a file whose content is not what it was. Of one that is there
	// already, what it was before stays.
	AddMismatch(ctx context.Context, place int64, m MismatchRow) error
	// RemoveMismatch removes one.
	RemoveMismatch(ctx context.Context, place int64, path string) error
	// AddSegment adds a segment, which is valid only during the call; its number is chosen.
	AddSegment(ctx context.Context, s SegmentRow) error
	// RemoveSegments removes the segments of a record.
	RemoveSegments(ctx context.Context, record int64) error
	// RemoveLayer removes the layer of a record, if it has one.
	RemoveLayer(ctx context.Context, record int64) error
	// RemoveRecord removes a record with its problems and its layer and, if it was the
	// last of its place, that.
	RemoveRecord(ctx context.Context, record int64) error
	// AddDropped keeps by what a record of a host, which is taken away, is known again.
	AddDropped(ctx context.Context, host, id string) error
	// SetCounts notes how much of a record there is to look at; see RecordRow.
	SetCounts(ctx context.Context, record, looked, hidden int64) error
}

// RecordRow is a record, as a store keeps it.
type RecordRow struct {
	Number    int64
	Turn      int64 // in which the machine made it, among all of its records; 0 where that is not known
	Place     int64 // number of the place
	Host      string
	Path      string // of the place in full, exact bytes
	Label     string
	Taken     time.Time
	Note      string
	Terms     []string
	Algorithm string // of the digests that were asked for; "" for none
	Entries   int64
	Bytes     int64 // of content of files, as far as their sizes are known
	Unsized   int64 // files whose size is not known
	// Looked is how many entries there are without those that are hidden and what is in
	// hidden folders, and Hidden how many are hidden, without those in hidden folders.
	Looked, Hidden int64
	Counted        bool          // both are known
	Tree           encoding.Hash // of the place
	Self           []byte        // the place itself; see encoding.PackSelf
	Damaged        bool          // not all could be read, where a store does not take that for an error
	// Problems and Stored are counted by the store: places that could not be read, and
	// bytes in segments of this record.
	Problems, Stored int64
}

// ProblemRow is something that could not be read when a record was made.
type ProblemRow struct {
	Path     string // from the place, exact bytes
	Tried    string
	Reason   string
	Entries  int64
	Vanished bool
}

// RereadRow says that content was read again: of the files that come from a place in an
// order to another, or of all.
type RereadRow struct {
	Taken        time.Time
	From, To     int64
	Whole        bool
	Files, Bytes int64
}

// MismatchRow is a file whose content is not what it was, though nothing says so.
type MismatchRow struct {
	Path        string // from the place, exact bytes
	Record      int64  // at which that was found
	Found       time.Time
	Algorithm   string
	Before, Now []byte // digests
}

// SegmentRow is a segment of a record, or of the layer of one.
type SegmentRow struct {
	Number, Place, Record int64
	Layer                 bool
	encoding.Segment
}

// Range says which segments and bands of a place are meant: those of all records up to one,
// or those of a layer and of the records after it.
//
// A layer has all that there was at a record, as if that were the first one, so that what
// came before need not be read. It is kept beside the segments of the record.
type Range struct {
	Place int64
	Layer int64 // the record whose layer it begins with; 0 for none
	UpTo  int64 // the last record
}

// All is everything that was recorded of a place, without layers.
func All(place int64) Range { return Range{Place: place, UpTo: math.MaxInt64} }

// LayerRow is a layer.
type LayerRow struct {
	Record int64
	Stored int64 // bytes in it
}

// BandRow is a band of a record.
type BandRow struct {
	Number, Record int64
	Layer          bool // it is of the layer of the record
	*encoding.Band
}

// Part is a part of a segment that is read by itself.
type Part uint8

// The parts of a segment.
const (
	Names Part = iota
	Facts
	Folders
)
