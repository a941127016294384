package arrange

import (
	"sync/atomic"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Visible is a sink that passes on only the entries of an answer where more has
// to be read than is to be shown.
type Visible struct {
	next    source.Sink
	request source.Request
	count   atomic.Int64
}

// NewVisible returns a sink that passes on to the next what a request would have given.
func NewVisible(next source.Sink, request source.Request) *Visible {
	return &Visible{next: next, request: request}
}

// Hidden is how many entries were left out because they are hidden.
func (v *Visible) Hidden() int64 { return v.count.Load() }

// Visitor implements source.Sink.
func (v *Visible) Visitor() source.Visitor {
	next := v.next.Visitor()
	var shown []entry.Entry
	return func(entries []entry.Entry) error {
		if entries[0].Depth() > v.request.Depth {
			return nil
		}
		shown = shown[:0]
		for i := range entries {
			e := &entries[i]
			switch v.request.Covers(e) {
			case source.Given:
				shown = append(shown, *e)
			case source.Left:
				if !e.Folder.Hidden {
					v.count.Add(1)
				}
			}
		}
		if len(shown) == 0 {
			return nil
		}
		return next(shown)
	}
}
