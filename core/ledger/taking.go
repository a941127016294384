package ledger

import (
	"cmp"
	"maps"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Taking is a sink that takes down what is to be recorded of a place. It packs
// entries as they come, so that millions take little room.
type Taking struct {
	place *entry.Place
	mu    sync.Mutex
	parts []*takingPart

	volumes map[string]uint64           // the numbers that file systems have in the records of the place
	id      func(e *entry.Entry) string // what tells a file system from others, by an entry
	devices map[uint64]uint64           // the numbers of devices now, and those in the records
}

// takingPart is what one visitor has taken.
type takingPart struct {
	chunks  []chunk
	entries int64
	content content     // of files
	self    entry.Entry // the place itself, if it was given
}

// chunk is some entries of a folder, packed in order of the bytes of their names,
// and the folders among them that were gone into, in the same order. Mostly it is
// all the entries of the folder.
type chunk struct {
	folder *entry.Folder
	piece  piece
	count  int
	inside []*entry.Folder
}

// NewTaking returns a taking of a place. The entries have to come with their
// status, and what else of facts is to be recorded.
func NewTaking(place *entry.Place) *Taking { return &Taking{place: place} }

// Recognise has file systems keep the number they have in earlier records, though
// another device may have it now: the function tells them apart, by an entry of
// each. It is called before anything is taken.
func (t *Taking) Recognise(volumes map[string]uint64, id func(e *entry.Entry) string) {
	t.volumes, t.id, t.devices = maps.Clone(volumes), id, map[uint64]uint64{}
	if t.volumes == nil {
		t.volumes = map[string]uint64{}
	}
}

// device returns the number of an entry's file system in the records.
func (t *Taking) device(e *entry.Entry) uint64 {
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
func (t *Taking) Visitor() source.Visitor {
	part := &takingPart{content: newContent()}
	t.mu.Lock()
	t.parts = append(t.parts, part)
	t.mu.Unlock()
	var p packer
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
		p.names, p.facts, p.last, p.before = p.names[:0], p.facts[:0], "", entry.Entry{}
		c := chunk{folder: entries[0].Folder, count: len(order)}
		for _, e := range order {
			p.put(e, e.Inside != nil, false) // whether it could be read shows later
			if e.Inside != nil {
				c.inside = append(c.inside, e.Inside)
			}
			part.content.add(e)
		}
		part.entries += int64(c.count)
		p.before, p.last = entry.Entry{}, "" // they are only lent
		c.piece = piece{slices.Clone(p.names), slices.Clone(p.facts)}
		part.chunks = append(part.chunks, c)
		return nil
	}
}

// content sums up the bytes of content of files: of each that has several names,
// once.
type content struct {
	bytes   map[entry.Node]int64 // under the zero key, of all that have one name
	unsized int64                // files whose size is not known
}

func newContent() content { return content{bytes: map[entry.Node]int64{}} }

func (c *content) add(e *entry.Entry) {
	switch {
	case e.HasSize() && e.Links > 1:
		c.bytes[e.Node()] = e.Size
	case e.HasSize():
		c.bytes[entry.Node{}] += e.Size
	case e.Kind == entry.KindFile:
		c.unsized++
	}
}

// join adds what others have counted.
func (c *content) join(others content) {
	for file, bytes := range others.bytes {
		if file == (entry.Node{}) {
			bytes += c.bytes[file]
		}
		c.bytes[file] = bytes
	}
	c.unsized += others.unsized
}

// tell has the record tell what was counted.
func (c *content) tell(r *Record) {
	r.Bytes, r.Unsized = 0, c.unsized
	for _, bytes := range c.bytes {
		r.Bytes += bytes
	}
}

// WithFolders makes a condition choose all folders too, so that what it chooses
// in them is found again.
func WithFolders(c source.Condition) source.Condition {
	if c == nil {
		return nil
	}
	return withFolders{c}
}

type withFolders struct{ source.Condition }

// Test implements source.Condition.
func (w withFolders) Test() source.Test {
	test := w.Condition.Test()
	return func(e *entry.Entry, asked entry.Facts) source.Verdict {
		if verdict := test(e, asked); verdict != source.No || e.Kind != entry.KindFolder {
			return verdict
		}
		return source.Yes
	}
}

// listing is what a folder holds.
type listing struct {
	folder   *entry.Folder
	chunks   []chunk     // until it is sorted
	piece    piece       // its entries, in order of the bytes of their names
	count    int         // of these
	below    []*listing  // in order of names
	own      seal        // over its own entries, without digests of their content
	full     seal        // over its own entries with these, if there are any
	digested entry.Facts // digests that each file in it has
	seal     seal
	id       uint64 // the number that the ledger has it under; 0 for none
	apart    *apart // from what the ledger has, if anything is
	// packed are full and digested as the piece has them: these can be those of the
	// record before, where the piece need not be written.
	packed struct {
		full     seal
		digested entry.Facts
	}
	fresh []bool // which entries have a digest that was taken for this record; nil if none has
}

// listings puts together what was taken of each folder, and returns that of the
// place.
func (t *Taking) listings() (*listing, error) {
	byFolder := map[*entry.Folder]*listing{}
	var list []*listing
	var find func(folder *entry.Folder) *listing
	find = func(folder *entry.Folder) *listing {
		l := byFolder[folder]
		if l == nil {
			l = &listing{folder: folder}
			byFolder[folder] = l
			list = append(list, l)
			if folder.Parent != nil {
				above := find(folder.Parent)
				above.below = append(above.below, l)
			}
		}
		return l
	}
	var root *listing
	for _, part := range t.parts {
		for _, c := range part.chunks {
			l := find(c.folder)
			l.chunks = append(l.chunks, c)
			for _, inside := range c.inside {
				if !inside.Unread() {
					find(inside)
				}
			}
		}
		part.chunks = nil
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
		slices.SortFunc(l.below, func(a, b *listing) int { return strings.Compare(a.folder.Name, b.folder.Name) })
	}
	if err := onAllCores(len(list), func(i int, room []kept) ([]kept, error) { return list[i].sort(room) }); err != nil {
		return nil, err
	}
	return root, nil
}

// onAllCores calls a function for each number below a count, on all cores, until
// there is an error. Each core has room of its own for entries.
func onAllCores(count int, do func(i int, room []kept) ([]kept, error)) error {
	var next atomic.Int64
	var group sync.WaitGroup
	errs := make([]error, runtime.GOMAXPROCS(0))
	for core := range errs {
		group.Go(func() {
			var room []kept
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

// sealAll gives a folder and all below it their seals.
func (l *listing) sealAll() {
	for _, below := range l.below {
		below.sealAll()
	}
	entries := l.own
	if l.full != (seal{}) {
		entries = l.full
	}
	s := newSealer(entries)
	for _, below := range l.below {
		s.add(below.folder.Name, below.seal)
	}
	l.seal = s.seal()
}

// pack packs entries, in order of names, with their digests, and seals them.
func (l *listing) pack(list []kept) {
	var plain, full packer
	any := false
	l.digested = entry.FactDigests
	for i := range list {
		k := &list[i]
		k.pack(&full)
		e := k.entry
		if e.HasSize() {
			l.digested &= e.Known
			any = any || e.Known&entry.FactDigests != 0
		}
		e.Known &^= entry.FactDigests
		plain.put(&e, k.entered, k.unread)
	}
	l.piece = piece{slices.Clip(full.names), slices.Clip(full.facts)}
	l.own, l.full = piece{plain.names, plain.facts}.seal(), seal{}
	if any {
		l.full = l.piece.seal()
	}
	l.packed.full, l.packed.digested = l.full, l.digested
}

// each calls a function for a folder and all below it, from the top.
func (l *listing) each(do func(*listing) error) error {
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

// sort makes one piece of the chunks, with what is known now of the folders among
// the entries, and digests it. The room is for entries, and is returned.
func (l *listing) sort(room []kept) ([]kept, error) {
	chunks := l.chunks
	l.chunks = nil
	for _, c := range chunks {
		l.count += c.count
	}
	unread := func(c chunk) bool { return slices.ContainsFunc(c.inside, (*entry.Folder).Unread) }
	if len(chunks) == 1 && !unread(chunks[0]) {
		l.piece = chunks[0].piece
		l.own = l.piece.seal()
		return room, nil
	}
	for _, c := range chunks {
		start := len(room)
		var err error
		if room, err = appendAll(slices.Grow(room, c.count), c.piece); err != nil {
			return room, err
		}
		inside := c.inside
		for i := range room[start:] {
			if k := &room[start+i]; k.entered {
				k.unread = inside[0].Unread()
				k.entered = !k.unread
				inside = inside[1:]
			}
		}
	}
	order := make([]*kept, len(room))
	for i := range room {
		order[i] = &room[i]
	}
	slices.SortFunc(order, func(a, b *kept) int { return strings.Compare(a.entry.Name, b.entry.Name) })
	var p packer
	for _, k := range order {
		k.pack(&p)
	}
	l.piece = piece{slices.Clip(p.names), slices.Clip(p.facts)}
	l.own = l.piece.seal()
	return room, nil
}
