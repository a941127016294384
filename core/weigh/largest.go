package weigh

import (
	"sync"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Largest is a sink that keeps the heaviest files below each of the upper
// folders, and passes all entries on.
type Largest struct {
	next    source.Sink
	count   int
	depth   int
	order   arrange.Order
	context *entry.Context

	mu      sync.Mutex
	folders map[*entry.Folder]*arrange.Collector
	several source.Parts[[]entry.Entry] // names of files that have others
}

// NewLargest returns a sink before the next that keeps so many files below each
// folder down to that depth, by what folders are weighed by.
func NewLargest(next source.Sink, count, depth int, by sums.Measure, c *entry.Context) *Largest {
	words := "size"
	if by == sums.ByDisk {
		words = "disk"
	}
	order, err := arrange.ParseOrder(words)
	if err != nil {
		panic(err) // these are fields
	}
	return &Largest{next: next, count: count, depth: depth, order: order, context: c, folders: make(map[*entry.Folder]*arrange.Collector)}
}

// Visitor implements source.Sink.
func (l *Largest) Visitor() source.Visitor {
	next := l.next.Visitor()
	keep, several := l.keeper(), l.several.New(nil)
	var files []entry.Entry
	return func(entries []entry.Entry) error {
		files = files[:0]
		for i := range entries {
			switch e := &entries[i]; {
			case e.Kind != entry.KindFile || e.Self:
			case e.Links > 1: // which name counts is known at the end
				*several = append(*several, e.Keep())
			default:
				files = append(files, *e)
			}
		}
		if err := keep(files); err != nil {
			return err
		}
		return next(entries)
	}
}

// keeper returns a function that keeps files of one folder below this and the folders above it.
func (l *Largest) keeper() source.Visitor {
	visitors := make(map[*entry.Folder]source.Visitor)
	return func(files []entry.Entry) error {
		if len(files) == 0 {
			return nil
		}
		for at := files[0].Folder; at != nil; at = at.Parent {
			if at.Depth > l.depth {
				continue
			}
			if visitors[at] == nil {
				visitors[at] = l.collector(at).Visitor()
			}
			if err := visitors[at](files); err != nil {
				return err
			}
		}
		return nil
	}
}

// Settle keeps, of files with several names, the one under which totals count it. It is to be
// called after the reading.
func (l *Largest) Settle(t *sums.Totals) error {
	if l == nil {
		return nil
	}
	keep := l.keeper()
	for _, part := range l.several.Take() {
		for i := range *part {
			if e := &(*part)[i]; !t.CountedElsewhere(e) {
				if err := keep((*part)[i : i+1]); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func (l *Largest) collector(folder *entry.Folder) *arrange.Collector {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.folders[folder] == nil {
		l.folders[folder] = arrange.NewCollector(l.order, l.context, l.count)
	}
	return l.folders[folder]
}

// of returns the heaviest files below a folder. A nil Largest has none.
func (l *Largest) of(folder *entry.Folder) []*entry.Entry {
	if l == nil || l.folders[folder] == nil {
		return nil
	}
	a := l.folders[folder].Arrange()
	files := make([]*entry.Entry, a.Len())
	for i := range files {
		files[i] = a.At(i)
	}
	return files
}
