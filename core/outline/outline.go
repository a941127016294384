// Package outline puts entries into the shape of the folders they lie in.
package outline

import (
	"iter"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Node is an entry, or a place, and what is shown below it. Nodes are made as they are asked for:
// an outline of millions keeps only the entries.
type Node struct {
	Entry  *entry.Entry // nil for a place
	Folder *entry.Folder
	Sum    sums.Sum // of a folder: all it holds
	Read   bool     // a folder that was read, so that the sum says something
	Leaf   bool     // a place that is no folder: it is all there is below

	shown *shown
}

// shown are the entries that are shown, by their folders.
type shown struct {
	first    int // in each folder; 0 for all
	totals   *sums.Totals
	arranged *arrange.Arranged
	folders  map[*entry.Folder]span
	at       []uint32 // positions in arranged, those of one folder together
}

// span is where the positions of a folder are.
type span struct{ from, to uint32 }

// Below gives what is shown in a folder, in order. Each node is valid only until the next one.
func (n *Node) Below() iter.Seq[*Node] {
	return func(yield func(*Node) bool) {
		at := n.shown.in(n.Folder)
		if n.shown.first > 0 {
			at = at[:min(n.shown.first, len(at))]
		}
		var below Node
		for _, i := range at {
			if below = n.shown.node(n.shown.arranged.At(int(i))); !yield(&below) {
				return
			}
		}
	}
}

// Rest tells how many entries were left out in a folder, and what they come to.
func (n *Node) Rest() (left int, rest sums.Sum) {
	at := n.shown.in(n.Folder)
	if n.shown.first == 0 || len(at) <= n.shown.first {
		return 0, rest
	}
	at = at[n.shown.first:]
	for _, i := range at {
		below := n.shown.node(n.shown.arranged.At(int(i)))
		rest.Add(below.Sum)
		if bytes, several := rest.Take(below.Entry); several && !n.shown.totals.CountedElsewhere(below.Entry) {
			rest.Add(bytes)
		}
	}
	return len(at), rest
}

func (s *shown) node(e *entry.Entry) Node {
	n := Node{Entry: e, Folder: e.Inside, shown: s}
	if e.Inside != nil {
		n.Sum, n.Read = s.totals.Of(e.Inside), !e.Inside.Unread()
	}
	return n
}

// in returns the positions of what is in a folder, in order.
func (s *shown) in(folder *entry.Folder) []uint32 {
	if folder == nil {
		return nil
	}
	of := s.folders[folder]
	return s.at[of.from:of.to]
}

// sort puts the positions of each folder together.
func (s *shown) sort() {
	s.at, s.folders = make([]uint32, s.arranged.Len()), map[*entry.Folder]span{}
	for i := range s.at {
		folder := s.arranged.At(i).Folder
		of := s.folders[folder]
		of.to++ // how many there are
		s.folders[folder] = of
	}
	from := uint32(0)
	for folder, of := range s.folders {
		s.folders[folder] = span{from, from}
		from += of.to
	}
	for i := range s.at {
		folder := s.arranged.At(i).Folder
		of := s.folders[folder]
		s.at[of.to] = uint32(i)
		of.to++
		s.folders[folder] = of
	}
}

// Plan says what is wanted.
type Plan struct {
	Order       arrange.Order
	Context     *entry.Context
	Depth       int
	Hidden      source.Hidden
	FoldersOnly bool
	First       int  // in each folder; 0 for all
	Chosen      bool // only what a condition chose is shown: see [source.Request.Marked]
}

// Builder is a sink that keeps what is to be shown, and sums up everything.
type Builder struct {
	plan      Plan
	totals    *sums.Totals
	visible   *arrange.Visible
	collector *arrange.Collector
}

// NewBuilder returns a builder. It needs the status of all entries, at any
// depth, whatever is to be shown.
func NewBuilder(plan Plan) *Builder {
	b := &Builder{plan: plan, collector: arrange.NewCollector(plan.Order, plan.Context, 0)}
	shown := source.Sink(source.SinkFunc(b.keep))
	if plan.Chosen {
		shown = source.Only(source.Chosen, shown)
	}
	b.visible = arrange.NewVisible(shown, source.Request{Depth: plan.Depth, Hidden: plan.Hidden})
	b.totals = sums.NewTotals(b.visible)
	b.collector.Amend(b.totals.Amend)
	return b
}

// Visitor implements source.Sink.
func (b *Builder) Visitor() source.Visitor { return b.totals.Visitor() }

// Hidden is how many entries were left out because they are hidden.
func (b *Builder) Hidden() int64 { return b.visible.Hidden() }

// Totals returns the sums of all folders.
func (b *Builder) Totals() *sums.Totals { return b.totals }

func (b *Builder) keep() source.Visitor {
	next := b.collector.Visitor()
	if !b.plan.FoldersOnly {
		return next
	}
	var folders []entry.Entry
	return func(entries []entry.Entry) error {
		folders = folders[:0]
		for _, e := range entries {
			if e.Kind == entry.KindFolder {
				folders = append(folders, e)
			}
		}
		return next(folders)
	}
}

// Outline returns the place with what is below it. It is to be called once,
// after the reading, with all places and its problems.
func (b *Builder) Outline(places []*entry.Place, problems []source.Problem) ([]*Node, error) {
	var roots []*entry.Folder
	for _, place := range places {
		roots = append(roots, b.totals.Root(place, problems))
	}
	if err := b.addAbove(); err != nil {
		return nil, err
	}
	all := &shown{first: b.plan.First, totals: b.totals, arranged: b.collector.Arrange()}
	all.sort()
	var nodes []*Node
	for _, root := range roots {
		nodes = append(nodes, &Node{Folder: root, Sum: b.totals.Of(root), Read: !root.Unread(), Leaf: root.Place.Leaf, shown: all})
	}
	return nodes, nil
}

// addAbove adds the folders that lead to what is shown and do not themselves meet
// the condition.
func (b *Builder) addAbove() error {
	known := make(map[*entry.Folder]bool)
	var rel []*entry.Folder
	b.collector.Each(func(e *entry.Entry) {
		if e.Inside != nil {
			known[e.Inside] = true
		}
		if len(rel) == 0 || rel[len(rel)-1] != e.Folder {
			rel = append(rel, e.Folder)
		}
	})
	visit := b.collector.Visitor()
	for _, folder := range rel {
		for ; folder.Parent != nil && !known[folder]; folder = folder.Parent {
			known[folder] = true
			if err := visit([]entry.Entry{{Folder: folder.Parent, Name: folder.Name, Kind: entry.KindFolder, Inside: folder}}); err != nil {
				return err
			}
		}
	}
	return nil
}
