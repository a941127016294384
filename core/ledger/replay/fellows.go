package replay

import (
	"context"
	"sort"
	"sync"

	"frankledger/core/ledger/store"
)

// Fellows are records that one question is about, in the order in which they are read. What several of them
// need first is read by a few statements.
type Fellows struct {
	from store.Store

	mu      sync.Mutex
	keys    []store.Key
	entries []int64 // of each
	batches []*batch
	filling []*batch // that were begun, and not waited for yet
}

// NewFellows returns none, of a ledger that is kept in a store.
func NewFellows(from store.Store) *Fellows { return &Fellows{from: from} }

// batch are some of the records.
type batch struct {
	from, to int // their places in the list
	begun    bool
	filled   chan struct{} // closed once it is

	mu     sync.Mutex             // of the rest
	firsts map[int64]*store.First // that were not taken yet
}

const (
	mostTogether    = 64      // records in a batch
	entriesTogether = 500_000 // in the records of a batch, if these are several
	smallRecord     = 1000    // entries: what is up to that is read whole
)

// Join adds a source, before any of them is read.
func (f *Fellows) Join(s *Source) {
	f.mu.Lock()
	defer f.mu.Unlock()
	s.fellows, s.nth = f, len(f.keys)
	f.keys = append(f.keys, store.Key{Place: s.record.PlaceNumber, Number: s.record.Number, Small: s.record.Entries <= smallRecord && len(s.below) == 0})
	f.entries = append(f.entries, s.record.Entries)
}

// batchOf returns the batch that a record is in, and the one after it; nil for none.
func (f *Fellows) batchOf(nth int) (at, next *batch) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.batches == nil {
		together := int64(0)
		for i, entries := range f.entries {
			n := len(f.batches)
			if n == 0 || i-f.batches[n-1].from == mostTogether || together+entries > entriesTogether {
				f.batches, together = append(f.batches, &batch{from: i, filled: make(chan struct{})}), 0
				n++
			}
			f.batches[n-1].to = i + 1
			together += entries
		}
	}
	i := sort.Search(len(f.batches), func(i int) bool { return nth < f.batches[i].to })
	if i+1 < len(f.batches) {
		next = f.batches[i+1]
	}
	return f.batches[i], next
}

// begin reports whether a batch is still to be filled: then that is up to who asks.
func (f *Fellows) begin(b *batch) bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	if b.begun {
		return false
	}
	b.begun, f.filling = true, append(f.filling, b)
	return true
}

// fill reads what the records of a batch need first. What cannot be read so is read one by one, which tells of
// which machine it is.
func (f *Fellows) fill(ctx context.Context, b *batch) {
	defer close(b.filled)
	if b.to-b.from < 2 {
		return
	}
	if firsts, err := f.from.Firsts(ctx, f.keys[b.from:b.to]); err == nil {
		b.mu.Lock()
		b.firsts = firsts
		b.mu.Unlock()
	}
}

// settle waits until all that was begun is read.
func (f *Fellows) settle() {
	f.mu.Lock()
	filling := f.filling
	f.filling = nil
	f.mu.Unlock()
	for _, b := range filling {
		<-b.filled
	}
}

// take returns what a record needs first; nil if that was not read, or was taken before.
func (f *Fellows) take(ctx context.Context, s *Source) *store.First {
	at, next := f.batchOf(s.nth)
	if f.begin(at) {
		f.fill(ctx, at)
	}
	<-at.filled
	if next != nil && f.begin(next) {
		go f.fill(ctx, next)
	}
	at.mu.Lock()
	defer at.mu.Unlock()
	first := at.firsts[s.record.Number]
	delete(at.firsts, s.record.Number)
	return first
}
