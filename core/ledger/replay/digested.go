package replay

import (
	"cmp"
	"errors"
	"slices"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Digested is a sink that passes on what is there now, and of what was recorded
// only the files whose digest is. Their content is not at hand.
type Digested struct {
	next source.Sink
	fact entry.Facts

	mu      sync.Mutex
	without map[*entry.Place]int64
}

// NewDigested returns a sink for digests by an algorithm.
func NewDigested(next source.Sink, fact entry.Facts) *Digested {
	return &Digested{next: next, fact: fact, without: map[*entry.Place]int64{}}
}

// Visitor implements source.Sink.
func (d *Digested) Visitor() source.Visitor {
	visit := d.next.Visitor()
	var room []entry.Entry
	return func(entries []entry.Entry) error {
		place := entries[0].Folder.Place
		if place.Record == nil {
			return visit(entries)
		}
		room = room[:0]
		without := int64(0)
		for _, e := range entries {
			switch {
			case e.Kind != entry.KindFile || e.Known.Has(d.fact):
				room = append(room, e)
			default:
				without++
			}
		}
		if without > 0 {
			d.mu.Lock()
			d.without[place] += without
			d.mu.Unlock()
		}
		if len(room) == 0 {
			return nil
		}
		return visit(room)
	}
}

var errNoDigest = errors.New("the record has no such digest")

// Problems returns a problem for each record that lacks digests.
func (d *Digested) Problems(algorithm string) (problems []source.Problem) {
	for place, count := range d.without {
		problems = append(problems, source.Problem{Path: place.Given, Tried: "look up the " + algorithm + " of files in", Err: errNoDigest, Entries: count})
	}
	slices.SortFunc(problems, func(a, b source.Problem) int { return cmp.Compare(a.Path, b.Path) })
	return problems
}
