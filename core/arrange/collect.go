package arrange

import (
	"runtime"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Collector is a sink that keeps entries to give them back in order: all, or
// the first so many, and then in memory for no more than these.
type Collector struct {
	order   Order
	context *entry.Context
	first   int // 0: all
	amend   func(*entry.Entry)

	mu      sync.Mutex
	shelves []*shelf
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
	s := &shelf{}
	c.mu.Lock()
	c.shelves = append(c.shelves, s)
	c.mu.Unlock()
	if c.first == 0 || c.amend != nil {
		return func(entries []entry.Entry) error {
			for i := range entries {
				s.keep(&entries[i])
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

// Entries returns the entries in order. It is to be called once, after the
// reading.
func (c *Collector) Entries() []*entry.Entry {
	count := 0
	for _, s := range c.shelves {
		count += s.count
	}
	entries := make([]*entry.Entry, 0, count)
	for _, s := range c.shelves {
		for _, block := range s.blocks {
			for i := range block {
				entries = append(entries, &block[i])
			}
		}
		entries = append(entries, s.heap...)
	}
	if c.amend != nil {
		for _, e := range entries {
			c.amend(e)
		}
	}
	c.sort(entries)
	if c.first > 0 && len(entries) > c.first {
		entries = entries[:c.first]
	}
	return entries
}

// shelf is what one visitor keeps.
type shelf struct {
	count  int
	blocks [][]entry.Entry
	names  strings.Builder
	heap   []*entry.Entry // with first: the last in order on top
}

const (
	blockEntries = 512
	blockNames   = 16 << 10
)

// keep makes a copy of an entry. Entries and names are kept in blocks: one
// allocation for many.
func (s *shelf) keep(e *entry.Entry) {
	last := len(s.blocks) - 1
	if last < 0 || len(s.blocks[last]) == blockEntries {
		s.blocks = append(s.blocks, make([]entry.Entry, 0, blockEntries))
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
	s.count++
}

// keepFirst makes a copy of an entry if it is among the first so many.
func (s *shelf) keepFirst(e *entry.Entry, first int, compare compare) {
	if len(s.heap) < first {
		s.heap = append(s.heap, clone(&entry.Entry{}, e))
		s.count++
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
	clone(s.heap[0], e)
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

func clone(to, from *entry.Entry) *entry.Entry {
	*to = *from
	to.Name = strings.Clone(from.Name)
	to.More = from.More.Clone()
	return to
}

// ranked is an entry with the number that its order mostly shows in, so that
// sorting seldom has to look at the entry.
type ranked struct {
	rank  uint64
	entry *entry.Entry
}

func (c *Collector) sort(entries []*entry.Entry) {
	list := make([]ranked, len(entries))
	rank := c.order.rank(c.context, entries)
	for i, e := range entries {
		list[i] = ranked{rank(e), e}
	}
	list = c.sortRanked(list, runtime.GOMAXPROCS(0))
	for i := range list {
		entries[i] = list[i].entry
	}
}

// worthSharing is how many entries make it pay to sort on several cores.
const worthSharing = 1 << 14

// sortRanked sorts the list on so many cores.
func (c *Collector) sortRanked(list []ranked, cores int) []ranked {
	compare := c.order.compare(c.context)
	before := func(a, b ranked) int {
		if a.rank != b.rank {
			if a.rank < b.rank {
				return -1
			}
			return 1
		}
		return compare(a.entry, b.entry)
	}
	if cores < 2 || len(list) < worthSharing {
		slices.SortFunc(list, before)
		return list
	}
	var group sync.WaitGroup
	left, right := list[:len(list)/2], list[len(list)/2:]
	group.Go(func() { left = c.sortRanked(left, cores/2) })
	right = c.sortRanked(right, cores-cores/2)
	group.Wait()
	merged := make([]ranked, 0, len(list))
	for len(left) > 0 && len(right) > 0 {
		if before(left[0], right[0]) <= 0 {
			merged, left = append(merged, left[0]), left[1:]
		} else {
			merged, right = append(merged, right[0]), right[1:]
		}
	}
	return append(append(merged, left...), right...)
}
