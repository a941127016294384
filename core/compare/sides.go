package compare

import (
	"math/bits"
	"slices"
	"strings"
	"sync"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/quantity"
	"frankledger/core/sides"
	"frankledger/core/source"
)

// pair is an entry in both places.
type pair struct {
	rel  string // while the entries are only lent, it is not known
	a, b *entry.Entry
}

// own is the path of a folder or an entry from its place.
func own(e *entry.Entry) string { return e.Relative() }

// side is the first place, read: a sink that packs what comes.
type side struct {
	shut    sides.Shut
	chunks  source.Parts[[]chunk]
	byPlace map[*entry.Folder]*folder
	below   map[step]*folder
}

// chunk is some entries of a folder, packed in order of the bytes of their names.
type chunk struct {
	folder *entry.Folder
	delta  encoding.Delta
	count  int
}

// folder is a folder of the first place. If its entries came all at once, those of the other
// place are held against them as they come; else they are kept until the end.
type folder struct {
	own     *entry.Folder
	chunks  []encoding.Delta
	mu      sync.Mutex // of the rest
	count   int
	matched []uint64 // which entries are there in both, where there is one chunk: bits
	other   *entry.Folder
	others  []encoding.Delta
}

// step leads from a folder to one in it.
type step struct {
	above *folder
	name  string
}

// largest is how many entries are unpacked at a time to hold others against them.
const largest = 512

// Visitor implements source.Sink.
func (s *side) Visitor() source.Visitor {
	chunks := s.chunks.New(nil)
	var p packing
	return func(entries []entry.Entry) error {
		s.shut.Note(entries, own)
		for order := p.order(entries); len(order) > 0; {
			n := min(len(order), largest)
			*chunks = append(*chunks, chunk{order[0].Folder, p.pack(order[:n]), n})
			order = order[n:]
		}
		return nil
	}
}

// packing packs entries.
type packing struct {
	packer encoding.Packer
	list   []*entry.Entry
}

// order returns entries of one folder in order of the bytes of their names, but for a place
// itself.
func (p *packing) order(entries []entry.Entry) []*entry.Entry {
	p.list = p.list[:0]
	for i := range entries {
		if !entries[i].Self {
			p.list = append(p.list, &entries[i])
		}
	}
	slices.SortFunc(p.list, func(a, b *entry.Entry) int { return strings.Compare(a.Name, b.Name) })
	return p.list
}

func (p *packing) pack(order []*entry.Entry) encoding.Delta {
	p.packer.Reset()
	for _, e := range order {
		p.packer.Put(e, source.Chosen(e), e.Marks&entry.MarkUndecided != 0)
	}
	d := p.packer.Delta().Clone()
	p.packer.Reset() // names were only lent
	return d
}

// marked gives an entry that was packed the marks that it had.
func marked(k *encoding.Recorded) *entry.Entry {
	if k.Entered {
		k.Entry.Marks |= entry.MarkChosen
	}
	if k.Unread {
		k.Entry.Marks |= entry.MarkUndecided
	}
	return &k.Entry
}

// assemble puts the chunks of folders together.
func (s *side) assemble() error {
	s.byPlace, s.below = map[*entry.Folder]*folder{}, map[step]*folder{}
	var find func(own *entry.Folder) *folder
	find = func(own *entry.Folder) *folder {
		f := s.byPlace[own]
		if f == nil {
			f = &folder{own: own}
			s.byPlace[own] = f
			if own.Parent != nil {
				s.below[step{find(own.Parent), own.Name}] = f
			} else {
				s.below[step{}] = f
			}
		}
		return f
	}
	for _, part := range s.chunks.Take() {
		for _, c := range *part {
			f := find(c.folder)
			f.chunks, f.count = append(f.chunks, c.delta), f.count+c.count
		}
	}
	for _, f := range s.byPlace {
		if len(f.chunks) == 1 {
			f.matched = make([]uint64, (f.count+63)/64)
		}
	}
	return nil
}

// against is the sink for the second place: it holds what comes against the first.
type against struct {
	first   *side
	content bool     // of all files is to be read
	asked   bool     // there is a condition
	ignore  []string // details that make no difference
	stepped bool     // folders are passed over
	shut    sides.Shut
	parts   source.Parts[finding]
}

// finding is what one visitor found, or all of them.
type finding struct {
	results        []*Result
	added, removed []*Result
	contents       []pair // whose content has to be read
	same           int
	bytes, unsized int64
	several        map[entry.Node]*entry.Entry // files of several names that are the same, which count once
	unknown        int
	undecided      int      // of these, of which it is not known whether they meet the condition
	outside        int      // where one side did not look
	unclear        [2]int64 // that a side may have had, too
	byTime         int
	asked          bool                 // there is a condition
	ignore         []string             // details that make no difference
	given          source.Amount        // what came, without files of several names
	names          map[entry.Node]named // of these
	shelf          *arrange.Shelf       // nil where entries are not lent
}

// named is a file of several names, and how many of them came.
type named struct {
	read, links uint32
	size        int64
}

// keep keeps a pair that was lent.
func (f *finding) keep(p pair) pair {
	if f.shelf != nil {
		p.a, p.b = f.shelf.Keep(p.a), f.shelf.Keep(p.b)
	}
	p.rel = p.b.Relative()
	return p
}

// sameFile counts the bytes of a file that is the same.
func (f *finding) sameFile(e *entry.Entry) {
	if e.Links <= 1 {
		f.count(e)
		return
	}
	if f.several == nil {
		f.several = map[entry.Node]*entry.Entry{}
	}
	file := e.Node()
	if f.several[file] == nil {
		f.several[file] = e
		if f.shelf != nil {
			f.several[file] = f.shelf.Keep(e)
		}
	}
}

func (f *finding) count(e *entry.Entry) {
	if e.HasSize() {
		f.bytes = quantity.Add(f.bytes, e.Size)
	} else {
		f.unsized++
	}
}

// take counts what came, where folders are passed over.
func (f *finding) take(e *entry.Entry) {
	f.given.Entries++
	switch {
	case !e.HasSize():
		if e.Kind == entry.KindFile {
			f.given.Unsized++
		}
	case e.Links > 1:
		if f.names == nil {
			f.names = map[entry.Node]named{}
		}
		n := f.names[e.Node()]
		f.names[e.Node()] = named{n.read + 1, e.Links, e.Size}
	default:
		f.given.Bytes = quantity.Add(f.given.Bytes, e.Size)
	}
}

// join adds what another visitor found.
func (f *finding) join(g *finding) {
	f.results, f.added, f.removed, f.contents = append(f.results, g.results...), append(f.added, g.added...), append(f.removed, g.removed...), append(f.contents, g.contents...)
	f.same, f.bytes, f.unsized, f.unknown, f.byTime = f.same+g.same, quantity.Add(f.bytes, g.bytes), f.unsized+g.unsized, f.unknown+g.unknown, f.byTime+g.byTime
	f.undecided, f.outside = f.undecided+g.undecided, f.outside+g.outside
	f.given.Entries, f.given.Bytes, f.given.Unsized = f.given.Entries+g.given.Entries, quantity.Add(f.given.Bytes, g.given.Bytes), f.given.Unsized+g.given.Unsized
	for file, e := range g.several {
		if f.several == nil {
			f.several = map[entry.Node]*entry.Entry{}
		}
		f.several[file] = e
	}
	for file, n := range g.names {
		if f.names == nil {
			f.names = map[entry.Node]named{}
		}
		n.read += f.names[file].read
		f.names[file] = n
	}
}

// Visitor implements source.Sink.
func (s *against) Visitor() source.Visitor {
	f := s.parts.New(finding{shelf: &arrange.Shelf{}, asked: s.asked, ignore: s.ignore})
	found := map[*entry.Folder]*folder{}
	var find func(own *entry.Folder) *folder
	find = func(own *entry.Folder) *folder {
		in, known := found[own]
		if !known {
			if own.Parent == nil {
				in = s.first.below[step{}]
			} else if above := find(own.Parent); above != nil {
				in = s.first.below[step{above, own.Name}]
			}
			found[own] = in
		}
		return in
	}
	var p packing
	return func(entries []entry.Entry) error {
		s.shut.Note(entries, own)
		order := p.order(entries)
		if len(order) == 0 {
			return nil
		}
		if s.stepped {
			for _, e := range order {
				f.take(e)
			}
		}
		in := find(order[0].Folder)
		if in == nil || len(in.chunks) == 0 {
			for _, e := range order {
				s.onlyHere(f, e)
			}
			return nil
		}
		in.mu.Lock()
		defer in.mu.Unlock()
		if len(in.chunks) == 1 {
			return s.match(f, in, order)
		}
		in.other = order[0].Folder
		for len(order) > 0 {
			n := min(len(order), largest)
			in.others = append(in.others, p.pack(order[:n]))
			order = order[n:]
		}
		return nil
	}
}

// onlyHere takes an entry that the first place does not have.
func (s *against) onlyHere(f *finding, e *entry.Entry) {
	if f.passes(&s.first.shut, e) {
		return
	}
	e = f.shelf.Keep(e)
	f.added = append(f.added, &Result{Change: Added, Path: e.Relative(), B: e})
}

// passes reports whether an entry that one side has lies where the other did not look, and counts it.
func (f *finding) passes(other *sides.Shut, e *entry.Entry) bool {
	shut, unread := other.In(e.Folder.Relative())
	switch {
	case !shut || f.asked && !source.Chosen(e) && e.Marks&entry.MarkUndecided == 0:
	case unread:
		f.unknown++
	default:
		f.outside++
	}
	return shut
}

// match holds some entries of a folder, in order, against all that the first place has there.
func (s *against) match(f *finding, in *folder, order []*entry.Entry) error {
	w := encoding.NewWalk(in.chunks[0])
	at, more := 0, w.Next()
	for _, e := range order {
		for more && w.Entry.Name < e.Name {
			at++
			more = w.Next()
		}
		if !more || w.Entry.Name != e.Name {
			s.onlyHere(f, e)
			continue
		}
		in.matched[at/64] |= 1 << (at % 64)
		marked(&w.Recorded).Folder = in.own
		f.pair(pair{"", &w.Entry, e}, s.content)
	}
	return w.Err()
}

// finish holds against each other what was kept, and finds what is no longer there.
func (s *against) finish() (*finding, error) {
	all := &finding{shelf: &arrange.Shelf{}, asked: s.asked, ignore: s.ignore}
	for _, f := range s.parts.All() {
		all.join(f)
	}
	gone := func(in *folder, e *entry.Entry) {
		e.Folder = in.own
		if all.passes(&s.shut, e) {
			return
		}
		e = all.shelf.Keep(e)
		all.removed = append(all.removed, &Result{Change: Removed, Path: e.Relative(), A: e})
	}
	for _, in := range s.first.byPlace {
		both := 0
		for _, word := range in.matched {
			both += bits.OnesCount64(word)
		}
		switch {
		case len(in.chunks) == 1 && both == in.count:
			continue
		case len(in.chunks) == 1:
			w := encoding.NewWalk(in.chunks[0])
			for at := 0; w.Next(); at++ {
				if in.matched[at/64]&(1<<(at%64)) == 0 {
					gone(in, marked(&w.Recorded))
				}
			}
			if err := w.Err(); err != nil {
				return nil, err
			}
			continue
		}
		before, after := encoding.Merge(in.chunks), encoding.Merge(in.others)
		x, _ := before.Next()
		y, _ := after.Next()
		for x != nil || y != nil {
			order := 0
			switch {
			case x == nil:
				order = 1
			case y == nil:
				order = -1
			default:
				order = strings.Compare(x.Entry.Name, y.Entry.Name)
			}
			if y != nil {
				marked(y).Folder = in.other
			}
			switch {
			case order < 0:
				gone(in, marked(x))
			case order > 0:
				s.onlyHere(all, &y.Entry)
			default:
				marked(x).Folder = in.own
				all.pair(pair{"", &x.Entry, &y.Entry}, s.content)
			}
			if order <= 0 {
				x, _ = before.Next()
			}
			if order >= 0 {
				y, _ = after.Next()
			}
		}
		if err := before.Err(); err != nil {
			return nil, err
		}
		if err := after.Err(); err != nil {
			return nil, err
		}
	}
	all.shelf = nil
	return all, nil
}

// pair holds two entries against each other, or notes that their content has to
// be read.
func (f *finding) pair(p pair, content bool) {
	x, y := p.a, p.b
	if f.asked {
		switch sides.Decide(x, y) {
		case source.No:
			return
		case source.Unknown:
			f.unknown++
			f.undecided++
			return
		}
	}
	if !x.Known.Has(entry.FactStatus) || !y.Known.Has(entry.FactStatus) {
		f.unknown++
		return
	}
	if !sides.AskContent(x, y) {
		f.judge(p, sameContent)
		return
	}
	if sides.CommonDigest(x, y) != 0 {
		f.judge(p, held(x, y))
		return
	}
	content = content || !x.HasSize() || !y.HasSize() // then times say nothing
	fact := p.fact(entry.FactDigests)                 // some, if there is a choice
	switch sameTime := x.Modified == y.Modified; {
	case isNow(x) && isNow(y) && x.Device == y.Device && x.Inode == y.Inode:
		f.judge(p, sameContent)
	case sameTime && !content && (fact == 0 || isNow(x) && isNow(y) || x.Inode != y.Inode || x.Changed == y.Changed):
		f.judge(p, sameContent)
	case fact != 0: // also where a time was put back, which another time tells
		f.contents = append(f.contents, f.keep(p))
	case content || slices.Contains(f.ignore, "modified"): // no time tells then
		f.unknown++
	default:
		f.byTime++
		f.judge(p, otherTime)
	}
}
