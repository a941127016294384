package weigh

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Totals is a sink that sums up what each folder holds, at any depth, and
// passes the entries on. Its memory grows with the number of folders and of
// files with several names. The entries must come with their status.
type Totals struct {
	next  source.Sink
	mu    sync.Mutex
	parts []*totalsPart

	// These are there once it is resolved.
	sums  map[*entry.Folder]*Sum            // what a folder holds, at any depth
	own   map[*entry.Folder]*Sum            // what lies directly in it
	below map[*entry.Folder][]*entry.Folder // the folders directly in it
	again Sum                               // names counted elsewhere, and the bytes they would have been
	other map[place]bool                    // those names
}

type totalsPart struct {
	sums    map[*entry.Folder]*Sum
	folders []*entry.Folder
	named   []name
}

// place is where a name lies.
type place struct {
	folder *entry.Folder
	name   string
}

// name is one of several names of a file.
type name struct {
	node   node
	folder *entry.Folder
	name   string
	bytes  Sum
}

// NewTotals returns totals before the next sink.
func NewTotals(next source.Sink) *Totals { return &Totals{next: next} }

// Visitor implements source.Sink.
func (t *Totals) Visitor() source.Visitor {
	p := &totalsPart{sums: make(map[*entry.Folder]*Sum)}
	t.mu.Lock()
	t.parts = append(t.parts, p)
	t.mu.Unlock()
	next := t.next.Visitor()
	return func(entries []entry.Entry) error {
		p.add(entries)
		return next(entries)
	}
}

func (p *totalsPart) add(entries []entry.Entry) {
	if entries[0].Self { // lies in no folder that is summed
		return
	}
	folder := entries[0].Folder
	sum := p.sums[folder]
	if sum == nil {
		sum = &Sum{}
		p.sums[folder] = sum
	}
	for i := range entries {
		e := &entries[i]
		if e.Inside != nil {
			p.folders = append(p.folders, e.Inside)
		}
		if bytes, several := sum.Take(e); several {
			p.named = append(p.named, name{node{e.Device, e.Inode}, e.Folder, strings.Clone(e.Name), bytes})
		}
	}
}

// Of returns what a folder holds, at any depth. It is to be called after the
// reading. A file with several names is counted where the first of them lies,
// in order of the bytes of their paths, so that folders side by side add up to
// the folder above them.
func (t *Totals) Of(folder *entry.Folder) Sum { return t.get(t.resolved().sums, folder) }

// Own returns what lies directly in a folder.
func (t *Totals) Own(folder *entry.Folder) Sum { return t.get(t.resolved().own, folder) }

func (t *Totals) get(sums map[*entry.Folder]*Sum, folder *entry.Folder) Sum {
	if sum := sums[folder]; sum != nil {
		return *sum
	}
	return Sum{}
}

// Below returns the folders directly in one, in no order.
func (t *Totals) Below(folder *entry.Folder) []*entry.Folder { return t.resolved().below[folder] }

// Root returns the folder that a place is, with nothing in it if nothing was
// found there.
func (t *Totals) Root(p *entry.Place) *entry.Folder {
	for folder := range t.resolved().sums {
		if folder.Parent == nil && folder.Place == p {
			return folder
		}
	}
	return &entry.Folder{Place: p}
}

// Elsewhere returns how many names of files were counted with another name of
// the same file, as Files, and the bytes that they would have been.
func (t *Totals) Elsewhere() Sum { return t.resolved().again }

// CountedElsewhere tells whether an entry is a name that was counted with
// another name of the same file.
func (t *Totals) CountedElsewhere(e *entry.Entry) bool {
	return t.resolved().other[place{e.Folder, e.Name}]
}

// All returns what all the places hold together.
func (t *Totals) All() Sum {
	var all Sum
	for folder, sum := range t.resolved().sums {
		if folder.Parent == nil {
			all.Add(*sum)
		}
	}
	return all
}

// Amend gives an entry that is a folder the total of what it holds as its
// size, unless the folder was not read.
func (t *Totals) Amend(e *entry.Entry) {
	folder := e.Inside
	if e.Kind != entry.KindFolder || folder == nil || folder.Unread() {
		return
	}
	e.Size, e.Summed = t.Of(folder).Size, true
}

// resolved adds up what the visitors counted, once.
func (t *Totals) resolved() *Totals {
	if t.sums != nil {
		return t
	}
	t.sums, t.own = make(map[*entry.Folder]*Sum), make(map[*entry.Folder]*Sum)
	t.below, t.other = make(map[*entry.Folder][]*entry.Folder), make(map[place]bool)
	var named []name
	for _, p := range t.parts {
		for folder, sum := range p.sums {
			t.add(folder, *sum)
		}
		for _, folder := range p.folders { // also those with nothing in them
			t.add(folder, Sum{})
		}
		named = append(named, p.named...)
	}
	for folder := range t.sums {
		if folder.Parent != nil {
			t.below[folder.Parent] = append(t.below[folder.Parent], folder)
		}
	}
	t.parts = nil
	slices.SortFunc(named, func(a, b name) int {
		return cmp.Or(cmp.Compare(a.node.device, b.node.device), cmp.Compare(a.node.inode, b.node.inode),
			strings.Compare(a.folder.Path()+"/"+a.name, b.folder.Path()+"/"+b.name))
	})
	for i, n := range named {
		if i == 0 || named[i-1].node != n.node {
			t.add(n.folder, n.bytes)
			continue
		}
		t.again.Files++
		t.again.Add(n.bytes)
		t.other[place{n.folder, n.name}] = true
	}
	return t
}

// add adds what lies directly in a folder to it and all those it lies in.
func (t *Totals) add(folder *entry.Folder, sum Sum) {
	addTo(t.own, folder, sum)
	for at := folder; at != nil; at = at.Parent {
		addTo(t.sums, at, sum)
	}
}

func addTo(sums map[*entry.Folder]*Sum, folder *entry.Folder, sum Sum) {
	if sums[folder] == nil {
		sums[folder] = &Sum{}
	}
	sums[folder].Add(sum)
}
