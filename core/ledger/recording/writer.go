package recording

import (
	"context"
	"sync"
	"time"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
)

// Options say what is recorded besides what was taken.
type Options struct {
	Fact    entry.Facts  // a digest that every file shall have; 0 for none
	Recheck bool         // read also files about which nothing has changed
	Limit   *Limit       // how many of these; nil for all
	Pool    *digest.Pool // reads files; not needed without a Fact
	// After is the turn of a record that this machine has made elsewhere, so that this one comes
	// after it.
	After int64
	// MoveLabel lets a label that stands for another place of this host stand for
	// this one from now on.
	MoveLabel bool
}

// Changes are how many entries are different from the record before: the newest one of the place
// that was made on the same terms.
type Changes struct {
	First    bool           // there is no other of the place
	Before   *ledger.Record // that they are held against; nil for none
	Labelled *ledger.Record // the newest one of the label and place, if it was made on other terms; nil for none
	Counted  bool           // the numbers are told; else the two records have to be compared
	Added, Removed, Moved, Altered, Details,
	Unclear int64
	// Unexplained are paths of files whose content differs though nothing about
	// them says so. They are looked for only with Recheck.
	Unexplained []string
	Digested    int64 // files of which a digest was taken
	Missing     int64 // files that have none, though there should be one
	Reread      int64 // files that were read again, of those about which nothing has changed, with a limit
	Quick       bool  // a quick record was asked for
	Kept        int64 // folders that were not read, as nothing about them had changed
}

// writer writes one record.
type writer struct {
	ctx        context.Context
	record     ledger.Record
	options    Options
	given      string // the place
	ready      bool   // digests are known already
	turn       int64  // that the record has; 0 for one that is made now
	release    func() // lets go of the store while files are read; nil where nothing is held
	problems   []source.Problem
	volumes    map[string]uint64
	root       *tree
	stamped    bool            // the folders have stamps
	quick      bool            // folders shall be taken over from the record before, if that can be
	earlier    *earlier        // that record; nil for none
	all        []ledger.Record // of the store, where that is known; else nil
	records    []ledger.Record // of the place, before this one
	standing   ledger.Standing // with these
	before     *replay.State   // after the last of these
	changes    Changes
	reread     *store.RereadRow // what was read again; nil if nothing was
	unlike     []unlike         // what was not as it was then
	mismatches []store.MismatchRow
	moves      moves
	update     store.Update
	segments   encoding.SegmentWriter
	last       uint64 // number of a folder
}

// AddTo returns what adds the segments of a record to a store.
func AddTo(u store.Update, r ledger.Record) func(context.Context, encoding.Segment) error {
	return func(ctx context.Context, s encoding.Segment) error {
		return u.AddSegment(ctx, store.SegmentRow{Place: r.PlaceNumber, Record: r.Number, Segment: s})
	}
}

// otherContent is a file that has other content than it had, and the digest of that.
type otherContent struct {
	now *entry.Entry
	had string
}

// letGo lets go of the store while files are read.
func (w *writer) letGo() {
	if w.release != nil {
		w.release()
	}
}

// Limit says how much is read again. The first that is reached ends it; zero for none.
type Limit struct {
	For   time.Duration
	Share float64 // of the bytes of all files that have a digest, from 0 to 1
}

// unlike is a file whose digest is not what it was.
type unlike struct {
	tree *tree
	name string
	sums entry.Digests
}

// moves are what appeared and what disappeared, to find what has only moved.
type moves struct{ came, went []movable }

// movable is what an entry is recognised by under another path.
type movable struct {
	identity entry.Identity
	digest   string // of content, "" if there is none
}

// earlier is the last record of a place, from which the next one takes over what is in folders
// about which nothing has changed: the system changes the times of a folder when something in
// it is made, removed or renamed. What has changed in the files themselves, it does not tell.
// It implements source.Earlier.
type earlier struct {
	ctx      context.Context
	from     store.Reader
	snapshot *Snapshot
	records  []ledger.Record
	standing ledger.Standing // of the place
	state    *replay.State
	parents  []bool              // which folders may have others in them, by number
	stamps   []uint64            // of folders, by number; nil where they are not known
	below    map[uint64][]uint64 // the numbers of folders in one, with stamps
	settled  entry.Time
	troubled map[string]bool // folders in which not all could be looked at

	mu      sync.Mutex // of the rest
	ids     map[*entry.Folder]uint64
	folders map[uint64][]encoding.Recorded // those in a folder, in order of names
	kept    map[*entry.Folder]uint64       // their numbers
	patched bool                           // a folder in one of those has changed
	err     error                          // the first
}
