package arrange

import (
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Visible is a sink that passes on only the entries of an answer where more has
// to be read than is to be shown.
type Visible struct {
	next   source.Sink
	depth  int
	hidden source.Hidden
	count  atomic.Int64
}

// NewVisible returns a sink that passes on to the next what a request with that
// depth and treatment of hidden entries would have given.
func NewVisible(next source.Sink, depth int, hidden source.Hidden) *Visible {
	return &Visible{next: next, depth: depth, hidden: hidden}
}

// Hidden is how many entries were left out because they are hidden.
func (v *Visible) Hidden() int64 { return v.count.Load() }

// Visitor implements source.Sink.
func (v *Visible) Visitor() source.Visitor {
	next := v.next.Visitor()
	var shown []entry.Entry
	return func(entries []entry.Entry) error {
		folder := entries[0].Folder
		if entries[0].Depth() > v.depth || v.hidden == source.OmitHidden && folder.Hidden {
			return nil
		}
		shown = shown[:0]
		for i := range entries {
			e := &entries[i]
			switch {
			case v.hidden == source.OmitHidden && e.Hidden():
				v.count.Add(1)
			case v.hidden == source.OnlyHidden && !e.Hidden():
			default:
				shown = append(shown, *e)
			}
		}
		if len(shown) == 0 {
			return nil
		}
		return next(shown)
	}
}
