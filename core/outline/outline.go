// Package outline puts entries into the shape of the folders they lie in.
package outline

import (
	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Node is an entry and what is shown below it.
type Node struct {
	Entry  *entry.Entry // nil for a place
	Folder *entry.Folder
	Sum    sums.Sum // of a folder: all it holds
	Read   bool     // a folder that was read, so that the sum says something
	Below  []*Node
	Leaf   bool     // a place that is no folder: it is all there is below
	Left   int      // how many were left out here
	Rest   sums.Sum // and what they come to
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
	inside := make(map[*entry.Folder][]*entry.Entry)
	arranged := b.collector.Arrange()
	for i := range arranged.Len() {
		e := arranged.At(i)
		inside[e.Folder] = append(inside[e.Folder], e)
	}
	var nodes []*Node
	for _, root := range roots {
		n := &Node{Folder: root, Sum: b.totals.Of(root), Read: !root.Unread(), Leaf: root.Place.Leaf}
		b.fill(n, inside)
		nodes = append(nodes, n)
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
		rel = append(rel, e.Folder)
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

func (b *Builder) fill(n *Node, inside map[*entry.Folder][]*entry.Entry) {
	for i, e := range inside[n.Folder] {
		below := &Node{Entry: e, Folder: e.Inside}
		if e.Inside != nil {
			below.Sum, below.Read = b.totals.Of(e.Inside), !e.Inside.Unread()
		}
		if b.plan.First > 0 && i >= b.plan.First {
			n.Left++
			n.Rest.Add(below.Sum)
			if bytes, several := n.Rest.Take(e); several && !b.totals.CountedElsewhere(e) {
				n.Rest.Add(bytes)
			}
			continue
		}
		if e.Inside != nil {
			b.fill(below, inside)
		}
		n.Below = append(n.Below, below)
	}
}
