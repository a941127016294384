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
	sums  map[*entry.Folder]*Sum
}

type totalsPart struct {
	sums  map[*entry.Folder]*Sum
	named []name
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
		if bytes, several := sum.take(e); several {
			p.named = append(p.named, name{node{e.Device, e.Inode}, e.Folder, strings.Clone(e.Name), bytes})
		}
	}
}

// Of returns what a folder holds, at any depth. It is to be called after the
// reading. A file with several names is counted where the first of them lies,
// in order of the bytes of their paths, so that folders side by side add up to
// the folder above them.
func (t *Totals) Of(folder *entry.Folder) Sum {
	if t.sums == nil {
		t.resolve()
	}
	if sum := t.sums[folder]; sum != nil {
		return *sum
	}
	return Sum{}
}

// All returns what all the places hold together.
func (t *Totals) All() Sum {
	if t.sums == nil {
		t.resolve()
	}
	var all Sum
	for folder, sum := range t.sums {
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

func (t *Totals) resolve() {
	t.sums = make(map[*entry.Folder]*Sum)
	var named []name
	for _, p := range t.parts {
		for folder, sum := range p.sums {
			t.add(folder, *sum)
		}
		named = append(named, p.named...)
	}
	slices.SortFunc(named, func(a, b name) int {
		return cmp.Or(cmp.Compare(a.node.device, b.node.device), cmp.Compare(a.node.inode, b.node.inode),
			strings.Compare(a.folder.Path()+"/"+a.name, b.folder.Path()+"/"+b.name))
	})
	for i, n := range named {
		if i == 0 || named[i-1].node != n.node {
			t.add(n.folder, n.bytes)
		}
	}
}

// add adds to a folder and all those it lies in.
func (t *Totals) add(folder *entry.Folder, sum Sum) {
	for at := folder; at != nil; at = at.Parent {
		total := t.sums[at]
		if total == nil {
			total = &Sum{}
			t.sums[at] = total
		}
		total.Add(sum)
	}
}
