package recording

import (
	"maps"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Snapshot is a sink that takes down what is to be recorded of a place. It packs
// entries as they come, so that millions take little room.
type Snapshot struct {
	place *entry.Place
	parts source.Parts[snapshotPart]

	earlier *earlier // nil unless folders may be taken over from a record

	mu      sync.Mutex                  // of the rest
	volumes map[string]uint64           // the numbers that file systems have in the records of the place
	id      func(e *entry.Entry) string // what tells a file system from others, by an entry
	devices map[uint64]uint64           // the numbers of devices now, and those in the records
}

// snapshotPart is what one visitor has taken.
type snapshotPart struct {
	chunks  []chunk
	entries int64
	content sums.Counting
	seen    seen
	self    entry.Entry // the place itself, if it was given
}

// seen counts what there is to look at where hidden entries, and what is in hidden folders,
// are left out.
type seen struct {
	looked, hidden int64
	unsure         bool // a flag of the system hides something, so that it is not known what is in hidden folders
}

func (s *seen) count(e *entry.Entry, inHidden bool) {
	s.unsure = s.unsure || e.Marks&entry.MarkFlaggedHidden != 0
	switch {
	case inHidden:
	case e.Hidden():
		s.hidden++
	default:
		s.looked++
	}
}

// tellSeen has the record tell that.
func tellSeen(r *ledger.Record, all seen) {
	if r.Counted = !all.unsure; r.Counted {
		r.Looked, r.Hidden = all.looked, all.hidden
	}
}

// NewSnapshot returns a snapshot of a place. The entries have to come with their
// status, and what else of facts is to be recorded.
func NewSnapshot(place *entry.Place) *Snapshot { return &Snapshot{place: place} }

// Recognise lets file systems keep the number they have in earlier records, even if another device has it now. The
// function identifies them by an entry of each. It is called before anything is taken.
func (t *Snapshot) Recognise(volumes map[string]uint64, id func(e *entry.Entry) string) {
	t.volumes, t.id, t.devices = maps.Clone(volumes), id, map[uint64]uint64{}
	if t.volumes == nil {
		t.volumes = map[string]uint64{}
	}
}

// device returns the number of an entry's file system in the records.
func (t *Snapshot) device(e *entry.Entry) uint64 {
	t.mu.Lock()
	defer t.mu.Unlock()
	if number, known := t.devices[e.Device]; known || t.id == nil {
		if t.id == nil {
			return e.Device
		}
		return number
	}
	number, id := e.Device, t.id(e)
	if known, before := t.volumes[id]; id != "" && before {
		number = known
	} else {
		taken := func(n uint64) bool {
			for _, other := range t.volumes {
				if other == n {
					return true
				}
			}
			return false
		}
		for taken(number) { // by another file system, in earlier records
			number += 1 << 32
		}
		if id != "" {
			t.volumes[id] = number
		}
	}
	t.devices[e.Device] = number
	return number
}

// Visitor implements source.Sink.
func (t *Snapshot) Visitor() source.Visitor {
	part := t.parts.New(snapshotPart{})
	var p encoding.Packer
	var order []*entry.Entry  // entries are too large to be moved about
	var device, number uint64 // of the last entry
	return func(entries []entry.Entry) error {
		order = order[:0]
		for i := range entries {
			e := &entries[i]
			if e.Known.Has(entry.FactStatus) {
				if e.Device != device || number == 0 {
					device = e.Device
					number = t.device(e)
				}
				e.Device = number
			}
			if e.Self {
				part.self = *e
				part.self.Name, part.self.More = "", e.More.Clone()
				continue
			}
			order = append(order, e)
		}
		if len(order) == 0 {
			return nil
		}
		slices.SortFunc(order, func(a, b *entry.Entry) int { return strings.Compare(a.Name, b.Name) })
		p.Reset()
		c := chunk{folder: entries[0].Folder, count: len(order)}
		for _, e := range order {
			p.Put(e, e.Inside != nil, false) // whether it could be read shows later
			if e.Inside != nil {
				c.inside, c.stamps = append(c.inside, e.Inside), append(c.stamps, stampOf(e))
			}
			part.content.Count(e)
			part.seen.count(e, c.folder.Hidden)
		}
		part.entries += int64(c.count)
		c.delta = p.Delta().Clone()
		p.Reset() // names were only lent
		part.chunks = append(part.chunks, c)
		return nil
	}
}

// tell has the record tell what was counted.
func tell(r *ledger.Record, all sums.Sum) { r.Bytes, r.Unsized = all.Size, all.Files-all.Sized }

// WithFolders makes a condition choose all folders too, so that what it chooses
// in them is found again.
func WithFolders(c source.Condition) source.Condition {
	if c == nil {
		return nil
	}
	return withFolders{c}
}

type withFolders struct{ source.Condition }

// TakeUntold implements source.Doubting.
func (w withFolders) TakeUntold() (entries int64, fields []source.Untold) {
	if doubting, is := w.Condition.(source.Doubting); is {
		return doubting.TakeUntold()
	}
	return 0, nil
}

// Test implements source.Condition.
func (w withFolders) Test() source.Test {
	test := w.Condition.Test()
	return func(e *entry.Entry, asked entry.Facts) source.Verdict {
		verdict := test(e, asked)
		if e.Kind == entry.KindFolder && (verdict == source.No || verdict == source.Unknown) {
			return source.Yes
		}
		return verdict
	}
}

// tree puts together what was taken of each folder, and returns that of the place.
func (t *Snapshot) tree() (*tree, error) {
	byFolder := map[*entry.Folder]*tree{}
	var list []*tree
	var find func(folder *entry.Folder) *tree
	find = func(folder *entry.Folder) *tree {
		l := byFolder[folder]
		if l == nil {
			l = &tree{folder: folder}
			byFolder[folder] = l
			list = append(list, l)
			if folder.Parent != nil {
				above := find(folder.Parent)
				above.below = append(above.below, l)
			}
		}
		return l
	}
	var root *tree
	for _, part := range t.parts.All() {
		for _, c := range part.chunks {
			l := find(c.folder)
			l.chunks = append(l.chunks, c)
			for i, inside := range c.inside {
				if inside.Unread() {
					l.unsure = true
					continue
				}
				find(inside).stamp = c.stamps[i]
			}
		}
		part.chunks = nil
	}
	if t.earlier != nil {
		for folder, id := range t.earlier.kept {
			find(folder).kept = id
		}
	}
	for _, l := range list {
		if l.folder.Parent == nil {
			root = l
		}
	}
	if root == nil {
		root = find(&entry.Folder{Place: t.place})
	}
	for _, l := range list {
		slices.SortFunc(l.below, func(a, b *tree) int { return strings.Compare(a.folder.Name, b.folder.Name) })
	}
	return root, onAllCores(len(list), func(i int, room []encoding.Recorded) ([]encoding.Recorded, error) {
		room, err := list[i].sort(room)
		if err == nil && list[i].kept != 0 {
			err = t.earlier.settle(list[i])
		}
		return room, err
	})
}
