package sums

import (
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Totals is a sink that sums up what each folder holds, at any depth, and
// passes the entries on. Its memory grows with the number of folders and of
// files with several names. The entries must come with their status.
type Totals struct {
	next  source.Sink
	parts source.Parts[totalsPart]
	// chosen says that a condition chooses among the entries: see Chosen.
	chosen bool

	// These are there once it is resolved.
	folders map[*entry.Folder]*weighed
	roots   []*entry.Folder
	again   Sum             // names counted elsewhere, and the bytes they would have been
	other   map[place]place // those names, and the one that was counted
	matched Sum             // what there is in all that was chosen
}

// weighed is what is known of a folder.
type weighed struct {
	folder *entry.Folder
	sum    Sum // what it holds, at any depth
	own    Sum // what lies directly in it
	above  *weighed
	below  []*entry.Folder
}

type totalsPart struct {
	sums    map[*entry.Folder]*Sum
	folders []*entry.Folder
	named   []Name[place]

	chosen map[*entry.Folder]struct{} // that a condition chose
	files  map[*entry.Folder]*Sum     // what it chose that is no folder, by where it lies
	names  map[place]struct{}         // likewise, what has several names
}

// place is where a name lies.
type place struct {
	folder *entry.Folder
	name   string
}

// NewTotals returns totals before the next sink.
func NewTotals(next source.Sink) *Totals { return &Totals{next: next} }

// NewTotalsOf returns totals of which those entries are shown that a condition chose: see
// [source.Request.Marked]. A file with several names is counted among the names that lie in these,
// so that none of them holds less for a name that is not shown.
func NewTotalsOf(next source.Sink) *Totals { return &Totals{next: next, chosen: true} }

// Visitor implements source.Sink.
func (t *Totals) Visitor() source.Visitor {
	p := t.parts.New(totalsPart{sums: make(map[*entry.Folder]*Sum)})
	if t.chosen {
		p.chosen, p.files, p.names = map[*entry.Folder]struct{}{}, map[*entry.Folder]*Sum{}, map[place]struct{}{}
	}
	next := t.next.Visitor()
	return func(entries []entry.Entry) error {
		p.add(entries)
		if t.chosen {
			p.choose(entries)
		}
		return next(entries)
	}
}

// choose notes what of the entries a condition chose.
func (p *totalsPart) choose(entries []entry.Entry) {
	for i := range entries {
		e := &entries[i]
		switch {
		case !source.Chosen(e):
		case e.Inside != nil:
			p.chosen[e.Inside] = struct{}{}
		default:
			sum := p.files[e.Folder]
			if sum == nil {
				sum = &Sum{}
				p.files[e.Folder] = sum
			}
			if _, several := sum.Take(e); several {
				p.names[place{e.Folder, strings.Clone(e.Name)}] = struct{}{}
			}
		}
	}
}

func (p *totalsPart) add(entries []entry.Entry) {
	if entries[0].Self && !entries[0].Folder.Place.Leaf { // lies in no folder that is summed
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
			p.named = append(p.named, Name[place]{e.Node(), place{e.Folder, strings.Clone(e.Name)}, bytes})
		}
	}
}

// Of returns what a folder holds, at any depth. It is to be called after the
// reading. A file with several names is counted where the first of them lies,
// in order of the bytes of their paths, so that folders side by side add up to
// the folder above them.
func (t *Totals) Of(folder *entry.Folder) Sum { return t.get(folder).sum }

// Own returns what lies directly in a folder.
func (t *Totals) Own(folder *entry.Folder) Sum { return t.get(folder).own }

// Below returns the folders directly in one, in no order.
func (t *Totals) Below(folder *entry.Folder) []*entry.Folder { return t.get(folder).below }

func (t *Totals) get(folder *entry.Folder) *weighed {
	if w := t.resolved().folders[folder]; w != nil {
		return w
	}
	return &weighed{folder: folder}
}

// Root returns the folder that a place is, with nothing in it if nothing was
// found there. The problems are those of the reading: a place that could not be read gave no entry that tells.
func (t *Totals) Root(p *entry.Place, problems []source.Problem) *entry.Folder {
	for _, root := range t.resolved().roots {
		if root.Place == p {
			return root
		}
	}
	root := &entry.Folder{Place: p}
	if slices.ContainsFunc(problems, func(one source.Problem) bool { return one.Shut && one.Path == p.Given }) {
		root.MarkUnread()
		t.roots, t.folders[root] = append(t.roots, root), &weighed{folder: root, own: Sum{Unread: 1}, sum: Sum{Unread: 1}}
	}
	return root
}

// Elsewhere returns how many names of files were counted with another name of
// the same file, as Files, and the bytes that they would have been.
func (t *Totals) Elsewhere() Sum { return t.resolved().again }

// CountedElsewhere reports whether an entry is a name that was counted with
// another name of the same file.
func (t *Totals) CountedElsewhere(e *entry.Entry) bool { return t.CountedAs(e) != "" }

// CountedAs returns the path of the name that an entry was counted with; "" if it was
// counted itself.
func (t *Totals) CountedAs(e *entry.Entry) string {
	if as, elsewhere := t.resolved().other[place{e.Folder, e.Name}]; elsewhere {
		return as.path()
	}
	return ""
}

func (p place) path() string { return strings.TrimSuffix(p.folder.Path(), "/") + "/" + p.name }

// EachEmpty calls a function for each folder below the places in which nothing was found, in no
// order.
func (t *Totals) EachEmpty(do func(*entry.Folder)) {
	for folder, w := range t.resolved().folders {
		if folder.Parent != nil && w.own.Entries() == 0 && len(w.below) == 0 && !folder.Unread() {
			do(folder)
		}
	}
}

// All returns what all the places hold together; of totals of what was chosen, what there is in
// that, each thing counted once.
func (t *Totals) All() Sum {
	if t.chosen {
		return t.resolved().matched
	}
	var all Sum
	for _, root := range t.resolved().roots {
		all.Add(t.Of(root))
	}
	return all
}

// Amend gives an entry that is a folder the total of what it holds as its
// size, unless the folder was not read.
func (t *Totals) Amend(e *entry.Entry) {
	folder := e.Inside
	if e.Kind != entry.KindFolder || folder == nil {
		return
	}
	sum := t.Of(folder)
	if folder.Unread() || !sum.HasSize() {
		e.Marks |= entry.MarkUnsized
		return
	}
	e.Size, e.Summed = sum.Size, true
	if !sum.Whole() {
		e.Marks |= entry.MarkAtLeast
	}
}

// resolved adds up what the visitors counted, once.
func (t *Totals) resolved() *Totals {
	if t.folders != nil {
		return t
	}
	t.folders, t.other = make(map[*entry.Folder]*weighed), make(map[place]place)
	var byDepth [][]*weighed
	var node func(folder *entry.Folder) *weighed
	node = func(folder *entry.Folder) *weighed {
		if w := t.folders[folder]; w != nil {
			return w
		}
		w := &weighed{folder: folder}
		t.folders[folder] = w
		for len(byDepth) <= folder.Depth {
			byDepth = append(byDepth, nil)
		}
		byDepth[folder.Depth] = append(byDepth[folder.Depth], w)
		if folder.Parent == nil {
			t.roots = append(t.roots, folder)
			return w
		}
		w.above = node(folder.Parent)
		w.above.below = append(w.above.below, folder)
		return w
	}
	var named []Name[place]
	within := t.newWithin()
	for _, p := range t.parts.Take() {
		for folder, sum := range p.sums {
			node(folder).own.Add(*sum)
		}
		for _, folder := range p.folders { // also those with nothing in them
			node(folder)
		}
		named = append(named, p.named...)
		within.join(p)
	}
	named = within.only(named)
	CountOnce(named, place.path,
		func(n *Name[place]) {
			t.folders[n.Of.folder].own.Add(n.Bytes)
			within.count(n)
		},
		func(n, counted *Name[place]) {
			t.again.Files++
			t.again.Add(n.Bytes)
			t.other[n.Of] = counted.Of
		})
	for depth := len(byDepth) - 1; depth >= 0; depth-- {
		for _, w := range byDepth[depth] {
			if w.folder.Unread() {
				w.own.Unread++
			}
			w.sum.Add(w.own)
			if w.above != nil {
				w.above.sum.Add(w.sum)
			}
		}
	}
	t.matched = within.sum(t)
	return t
}
