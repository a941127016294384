package replay

import (
	"context"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/source"
)

// Alike returns a function that reports whether a folder and all that is in it
// holds the same in this record and in another, by their tree hashes, and what this
// one holds in all. The function is nil unless both are whole records, and may be
// called from several goroutines.
func (s *Source) Alike(ctx context.Context, other source.Source) (alike func(*entry.Folder) bool, held source.Amount, err error) {
	before, is := other.(*Source)
	if !is || s.alone != nil || before.alone != nil {
		return nil, held, nil
	}
	held = source.Amount{Entries: s.record.Entries, Bytes: s.record.Bytes, Unsized: s.record.Unsized}
	if s.record.Tree == before.record.Tree {
		alike = func(*entry.Folder) bool { return true }
		return alike, held, nil
	}
	for _, one := range []*Source{s, before} {
		if err := one.load(ctx, nil); err != nil {
			return nil, held, err
		}
	}
	here, there := &walker{source: s, entered: map[uint64]map[string]uint64{}}, &walker{source: before, entered: map[uint64]map[string]uint64{}}
	alike = func(f *entry.Folder) bool {
		a, b := here.find(ctx, f), there.find(ctx, f)
		return a != nil && b != nil && a.Tree == b.Tree
	}
	return alike, held, nil
}

// walker finds folders that are there at a record.
type walker struct {
	source  *Source
	mu      sync.Mutex
	entered map[uint64]map[string]uint64 // by folder: those in it
}

// find returns what is known of a folder, nil if it is not there, or that could
// not be found out.
func (w *walker) find(ctx context.Context, f *entry.Folder) *folderState {
	w.mu.Lock()
	defer w.mu.Unlock()
	state := w.source.state
	id := uint64(encoding.Root)
	for _, step := range f.Trail()[1:] {
		if w.entered[id] == nil {
			held, err := state.Held(ctx, w.source.ledger.Store, id)
			if err != nil {
				return nil
			}
			in := map[string]uint64{}
			for _, k := range held {
				if k.Entered {
					in[k.Entry.Name] = state.Inside(id, k.Entry.Name)
				}
			}
			w.entered[id] = in
		}
		if id = w.entered[id][step.Name]; id == 0 {
			return nil
		}
	}
	return state.Folder(id)
}
