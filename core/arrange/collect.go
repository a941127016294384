package arrange

import (
	"cmp"
	"runtime"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/text"
)

// Collector is a sink that keeps entries to give them back in order: all, or
// the first so many, and then in memory for no more than these.
type Collector struct {
	order   Order
	context *entry.Context
	first   int // 0: all
	amend   func(*entry.Entry)

	shelves source.Parts[shelf]
}

// NewCollector returns a collector for an order other than as found. It keeps
// the first so many entries, or all of them if first is 0.
func NewCollector(order Order, c *entry.Context, first int) *Collector {
	return &Collector{order: order, context: c, first: first}
}

// Amend has a function called for each entry after the reading and before the
// ordering. All entries are kept until then. It may be nil.
func (c *Collector) Amend(amend func(*entry.Entry)) { c.amend = amend }

// Visitor implements source.Sink.
func (c *Collector) Visitor() source.Visitor {
	s := c.shelves.New(shelf{})
	if c.first == 0 || c.amend != nil {
		return func(entries []entry.Entry) error {
			for i := range entries {
				s.Keep(&entries[i])
			}
			return nil
		}
	}
	compare := c.order.compare(c.context)
	return func(entries []entry.Entry) error {
		for i := range entries {
			s.keepFirst(&entries[i], c.first, compare)
		}
		return nil
	}
}

// Each calls a function for each entry kept so far, in no order.
func (c *Collector) Each(do func(*entry.Entry)) {
	for _, s := range c.shelves.All() {
		for _, block := range s.blocks {
			for i := range block {
				do(&block[i])
			}
		}
	}
}

// Len returns how many entries are kept so far.
func (c *Collector) Len() (count int) {
	for _, s := range c.shelves.All() {
		count += len(s.heap)
		for _, block := range s.blocks {
			count += len(block)
		}
	}
	return count
}

// Arranged are entries in order.
type Arranged struct {
	blocks [][]entry.Entry
	order  []ranked
	whole  bool // all that is in the blocks is in the order
}

// Len returns how many entries there are.
func (a *Arranged) Len() int { return len(a.order) }

// At returns an entry by its position in the order, from 0. It may be called
// from several goroutines.
func (a *Arranged) At(i int) *entry.Entry { return a.at(a.order[i].index) }

// Each implements row.Scattered.
func (a *Arranged) Each(part, parts int, do func(*entry.Entry)) {
	if !a.whole {
		for i := part * a.Len() / parts; i < (part+1)*a.Len()/parts; i++ {
			do(a.At(i))
		}
		return
	}
	for _, block := range a.blocks[part*len(a.blocks)/parts : (part+1)*len(a.blocks)/parts] {
		for i := range block {
			do(&block[i])
		}
	}
}

func (a *Arranged) at(index uint32) *entry.Entry {
	return &a.blocks[index/blockEntries][index%blockEntries]
}

// Arrange puts what was collected in order. It is to be called once, after the
// reading.
func (c *Collector) Arrange() *Arranged {
	a := &Arranged{}
	for _, s := range c.shelves.All() {
		for _, e := range s.heap {
			s.Keep(e)
		}
		a.blocks = append(a.blocks, s.blocks...)
	}
	if c.amend != nil {
		for _, block := range a.blocks {
			for i := range block {
				c.amend(&block[i])
			}
		}
	}
	c.sort(a)
	if a.whole = c.first == 0 || len(a.order) <= c.first; !a.whole {
		a.order = a.order[:c.first]
	}
	return a
}

// shelf is what one visitor keeps.
type shelf struct {
	Shelf
	heap []*entry.Entry // with first: the last in order on top
}

// Shelf keeps entries that were lent, many in one allocation.
type Shelf struct {
	blocks [][]entry.Entry
	names  strings.Builder
}

const (
	blockEntries = 512
	firstBlock   = 32
	blockNames   = 16 << 10
)

// Keep makes a copy of an entry, and returns it.
func (s *Shelf) Keep(e *entry.Entry) *entry.Entry {
	last := len(s.blocks) - 1
	if last < 0 || len(s.blocks[last]) == blockEntries {
		room := blockEntries
		if last < 0 { // often there are few
			room = firstBlock
		}
		s.blocks = append(s.blocks, make([]entry.Entry, 0, room))
		last++
	}
	s.blocks[last] = append(s.blocks[last], *e)
	kept := &s.blocks[last][len(s.blocks[last])-1]
	if s.names.Cap()-s.names.Len() < len(e.Name) {
		s.names = strings.Builder{}
		s.names.Grow(max(blockNames, len(e.Name)))
	}
	start := s.names.Len()
	s.names.WriteString(e.Name)
	kept.Name = s.names.String()[start:]
	kept.More = e.More.Clone()
	return kept
}

// keepFirst makes a copy of an entry if it is among the first so many.
func (s *shelf) keepFirst(e *entry.Entry, first int, compare compare) {
	if len(s.heap) < first {
		kept := e.Keep()
		s.heap = append(s.heap, &kept)
		for i := len(s.heap) - 1; i > 0; { // up
			above := (i - 1) / 2
			if compare(s.heap[i], s.heap[above]) <= 0 {
				break
			}
			s.heap[i], s.heap[above] = s.heap[above], s.heap[i]
			i = above
		}
		return
	}
	if compare(e, s.heap[0]) >= 0 {
		return
	}
	*s.heap[0] = e.Keep()
	for i := 0; ; { // down
		below := 2*i + 1
		if below >= len(s.heap) {
			return
		}
		if below+1 < len(s.heap) && compare(s.heap[below+1], s.heap[below]) > 0 {
			below++
		}
		if compare(s.heap[i], s.heap[below]) >= 0 {
			return
		}
		s.heap[i], s.heap[below] = s.heap[below], s.heap[i]
		i = below
	}
}

// ranked stands for an entry while its order is found. Most often the two
// ranks tell, and nobody has to look at the entry.
type ranked struct {
	rank   uint64 // by the first key
	folder uint32 // by the folder
	index  uint32 // of the entry, for Arranged.at
}

func (c *Collector) sort(a *Arranged) {
	count := 0
	for _, block := range a.blocks {
		count += len(block)
	}
	a.order = make([]ranked, 0, count)
	rank := c.order.rank(c.context)
	cores := runtime.GOMAXPROCS(0)
	folders := rankFolders(a.blocks, cores)
	at := -1 // the run
	var folder *entry.Folder
	for b, block := range a.blocks {
		for i := range block {
			e := &block[i]
			if e.Folder != folder || at < 0 {
				at, folder = at+1, e.Folder
			}
			a.order = append(a.order, ranked{rank(e), folders[at], uint32(b*blockEntries + i)})
		}
	}
	if len(c.order.Keys) == 0 {
		names := byNames{a, c.order}
		common := names.rank()
		sortShared(a.order, names.byRank, cores)
		names.untie(a.order, func(r ranked) int { return common[r.folder] }, cores)
		return
	}
	sortShared(a.order, func() func(x, y ranked) int { return c.before(a) }, cores)
}

// worthSharing is how many entries make it pay to sort on several cores.
const worthSharing = 1 << 14

// before returns how two entries are compared, for one goroutine.
func (c *Collector) before(a *Arranged) func(x, y ranked) int {
	byAll, byRest := c.order.byKeys(c.context, 0), c.order.byKeys(c.context, c.order.told())
	rest := len(c.order.Keys) > c.order.told()
	return func(x, y ranked) int {
		if x.rank != y.rank {
			return cmp.Compare(x.rank, y.rank)
		}
		if x.rank == absentRank {
			if c := byAll(a.at(x.index), a.at(y.index)); c != 0 {
				return c
			}
		} else if rest {
			if c := byRest(a.at(x.index), a.at(y.index)); c != 0 {
				return c
			}
		}
		if x.folder != y.folder {
			return c.order.turned(cmp.Compare(x.folder, y.folder))
		}
		return c.order.turned(text.CompareNatural(a.at(x.index).Name, a.at(y.index).Name))
	}
}

// sortShared sorts a list on so many cores, where it is. Each has a function of its own that
// compares.
func sortShared[T any](list []T, comparing func() func(x, y T) int, cores int) {
	before := comparing()
	if cores < 2 || len(list) < worthSharing {
		slices.SortFunc(list, before)
		return
	}
	var sample [33]T
	for i := range sample {
		sample[i] = list[i*(len(list)-1)/(len(sample)-1)]
	}
	slices.SortFunc(sample[:], before)
	middle := sample[len(sample)/2]
	from, to := 0, len(list)-1 // what is before the middle goes to the left, what is after it to the right
	for from <= to {
		for before(list[from], middle) < 0 {
			from++
		}
		for before(list[to], middle) > 0 {
			to--
		}
		if from <= to {
			list[from], list[to] = list[to], list[from]
			from++
			to--
		}
	}
	var group sync.WaitGroup
	group.Go(func() { sortShared(list[:to+1], comparing, cores/2) })
	sortShared(list[from:], comparing, cores-cores/2)
	group.Wait()
}
