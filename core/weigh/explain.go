package weigh

import (
	"path/filepath"
	"strings"
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Within is a sink that hands what lies in one folder, at any depth, to a
// second sink beside the next.
type Within struct {
	folder     string // full path
	kept, next source.Sink
	found      atomic.Pointer[entry.Folder]
}

// Found returns the folder, if anything was found in it.
func (w *Within) Found() *entry.Folder { return w.found.Load() }

// NewWithin returns a sink that hands what lies in the folder to kept too.
func NewWithin(folder string, kept, next source.Sink) (*Within, error) {
	full, err := filepath.Abs(folder)
	return &Within{folder: full, kept: kept, next: next}, err
}

// Visitor implements source.Sink.
func (w *Within) Visitor() source.Visitor {
	next, kept := w.next.Visitor(), w.kept.Visitor()
	return func(entries []entry.Entry) error {
		if !entries[0].Self && w.holds(entries[0].Folder) {
			if err := kept(entries); err != nil {
				return err
			}
		}
		return next(entries)
	}
}

func (w *Within) holds(folder *entry.Folder) bool {
	place := strings.TrimSuffix(folder.Place.Full, "/")
	rel, below := strings.CutPrefix(w.folder, place)
	rel = strings.TrimPrefix(rel, "/")
	if !below || strings.HasPrefix(rel, "/") {
		return false
	}
	depth := 0
	if rel != "" {
		depth = 1 + strings.Count(rel, "/")
	}
	if folder.Depth < depth {
		return false
	}
	for folder.Depth > depth {
		folder = folder.Parent
	}
	if folder.Relative() != rel {
		return false
	}
	w.found.Store(folder)
	return true
}

// Addend is one thing that was added up.
type Addend struct {
	Entry     *entry.Entry
	Adds      int64  // 0 if it was counted with another name
	Total     int64  // with all before it
	CountedAs string // that name, as a path; "" for itself
}

// Explain lists what was added up of some entries, in their order, and the
// running total. Things that add nothing by their kind are left out.
func Explain(t *sums.Totals, entries row.Source[*entry.Entry], by sums.Measure) (addends []*Addend) {
	total := int64(0)
	for i := range entries.Len() {
		e := entries.At(i)
		if by != sums.ByDisk && e.Kind != entry.KindFile {
			continue
		}
		a := &Addend{Entry: e, Adds: 1}
		if by != sums.ByFiles {
			a.Adds = e.Disk
			if by == sums.BySize {
				a.Adds = e.Size
			}
			if a.CountedAs = t.CountedAs(e); a.CountedAs != "" {
				a.Adds = 0
			}
		}
		total = quantity.Add(total, a.Adds)
		a.Total = total
		addends = append(addends, a)
	}
	return addends
}
