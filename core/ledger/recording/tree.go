package recording

import (
	"cmp"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
)

// chunk is some entries of a folder, packed in order of the bytes of their names,
// and the folders among them that were entered, in the same order. Mostly it is
// all the entries of the folder.
type chunk struct {
	folder *entry.Folder
	delta  encoding.Delta
	count  int
	inside []*entry.Folder
	stamps []uint64 // of these
}

// tree is a folder with those in it, as it was found.
type tree struct {
	folder *entry.Folder
	chunks []chunk        // until it is sorted
	delta  encoding.Delta // its entries, all of them
	count  int            // of these
	below  []*tree        // in order of names
	encoding.Contents
	hash encoding.Hash // the tree hash
	id   uint64        // the number that the ledger has it under; 0 for none
	diff *diff         // from what the ledger has, if anything differs
	// packed has Full and Digested as the delta has them: those of Contents can be those
	// of the record before, where the delta need not be written.
	packed encoding.Contents
	// kept is the number that the earlier record has it under, if what is in it is taken from
	// there: packed only when it is needed.
	kept uint64
	// stamp is that by which the folder is known again, unless a folder in it could not be
	// read.
	stamp  uint64
	unsure bool
	fresh  []bool // which entries have a digest that was taken for this record; nil if none has
}

// onAllCores calls a function for each number below a count, on all cores, until
// there is an error. Each core has room of its own for entries.
func onAllCores(count int, do func(i int, room []encoding.Recorded) ([]encoding.Recorded, error)) error {
	var next atomic.Int64
	var group sync.WaitGroup
	errs := make([]error, runtime.GOMAXPROCS(0))
	for core := range errs {
		group.Go(func() {
			var room []encoding.Recorded
			for errs[core] == nil {
				i := int(next.Add(1)) - 1
				if i >= count {
					return
				}
				room, errs[core] = do(i, room[:0])
			}
		})
	}
	group.Wait()
	return cmp.Or(errs...)
}

// hashAll gives a folder and all below it their tree hashes.
func (l *tree) hashAll() {
	for _, below := range l.below {
		below.hashAll()
	}
	h := encoding.NewTreeHasher(l.Entries())
	for _, below := range l.below {
		h.Add(below.folder.Name, below.hash)
	}
	l.hash = h.Hash()
}

// pack packs its entries, in order of names, with their digests.
func (l *tree) pack(entries []encoding.Recorded) {
	l.delta, l.Contents = encoding.PackFolder(entries)
	l.packed, l.kept = l.Contents, 0
}

// each calls a function for a folder and all below it, from the top.
func (l *tree) each(do func(*tree) error) error {
	if err := do(l); err != nil {
		return err
	}
	for _, below := range l.below {
		if err := below.each(do); err != nil {
			return err
		}
	}
	return nil
}

// sort makes one delta of the chunks, with what is known now of the folders among
// the entries, and digests it. The room is for entries, and is returned.
func (l *tree) sort(room []encoding.Recorded) ([]encoding.Recorded, error) {
	chunks := l.chunks
	l.chunks = nil
	for _, c := range chunks {
		l.count += c.count
	}
	unread := func(c chunk) bool { return slices.ContainsFunc(c.inside, (*entry.Folder).Unread) }
	if len(chunks) == 1 && !unread(chunks[0]) {
		l.delta = chunks[0].delta
		l.Plain = l.delta.Hash()
		return room, nil
	}
	deltas, inside := make([]encoding.Delta, len(chunks)), make([][]*entry.Folder, len(chunks))
	for i, c := range chunks {
		deltas[i], inside[i] = c.delta, c.inside
	}
	var p encoding.Packer
	merged := encoding.Merge(deltas)
	for {
		next, at := merged.Next()
		if next == nil {
			break
		}
		if next.Entered { // as far as is known now
			next.Unread = inside[at][0].Unread()
			next.Entered = !next.Unread
			inside[at] = inside[at][1:]
		}
		next.Pack(&p)
	}
	l.delta = p.Delta().Clip()
	l.Plain = l.delta.Hash()
	return room, merged.Err()
}

// diff is how a folder differs from what the ledger has of it.
type diff struct {
	delta   encoding.Delta      // what the ledger does not have yet
	added   []encoding.Recorded // entries that are new
	removed []encoding.Recorded // and those that are gone
	altered int64               // how many others have changed
	details int64               // how many others have other details only
	shut    []string            // folders that can no longer be entered, being something else now
	entered map[string]bool     // folders that were entered, as far as they are still there
	unseen  map[string]bool     // folders that were there and were not entered: what was in them is not known
}
