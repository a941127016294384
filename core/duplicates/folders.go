package duplicates

import (
	"cmp"
	"encoding/binary"
	"encoding/hex"
	"io"
	"slices"
	"strings"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/source"
)

// Kind is what a set consists of: files or folders.
type Kind uint8

const (
	OfFiles   Kind = iota
	OfFolders      // whole folders with everything in them
)

func (k Kind) String() string { return [...]string{"file", "folder"}[k] }

// Folders says whether to find folders that are copies.
type Folders uint8

const (
	WithFolders Folders = iota // and then the files that are left
	OnlyFolders
	NoFolders
)

// Whole reports whether a request has all that is in a folder given, so that folders can be recognised as copies.
// Folders that are not entered are seen.
func Whole(sources []source.Source, r *source.Request) bool {
	return r.Condition == nil && r.Hidden == source.ShowHidden && !r.Follow && !slices.ContainsFunc(sources, func(s source.Source) bool { return !s.Capabilities().Whole })
}

// apart parts what is found into files whose content can be compared, and all else.
type apart struct {
	files, others source.Sink
	fact          entry.Facts
}

// Visitor implements source.Sink.
func (a apart) Visitor() source.Visitor {
	files, others := Files(a.files).Visitor(), a.others.Visitor()
	return func(entries []entry.Entry) error {
		for i := range entries {
			e := &entries[i]
			if e.Kind == entry.KindFile && e.HasSize() && (!e.Folder.Place.Kept || e.Known.Has(a.fact)) {
				continue
			}
			if err := others(entries[i : i+1]); err != nil {
				return err
			}
		}
		return files(entries)
	}
}

// item is something in a folder that is no folder, and of which the content is known to
// be somewhere else too, or to be none.
type item struct {
	entry   *entry.Entry
	content uint32 // the same for the same content
}

// node is a folder.
type node struct {
	folder  *entry.Folder
	entry   *entry.Entry // nil if it was not given
	parent  *node
	items   []item  // that may be the same as others, by name
	folders []*node // by name
	entries int     // in it, at any depth
	direct  int     // in it itself, but folders
	files   int64   // at any depth
	size    int64   // of these
	disk    int64   // likewise
	latest  entry.Time
	broken  bool   // something in it is not known, or nowhere else
	same    uint32 // the same for folders with the same names and contents

	rarest *item // of the files in it, at any depth: the one whose content the fewest have
	down   int   // how many folders down that is

	sum []byte // the tree hash; nil before it was asked for

	spare *Set // of which it, or a folder that it lies in, is a spare
	kept  bool // it, or a folder that it lies in, stays in some set
}

// forest is all folders that were read.
type forest struct {
	s     *search
	nodes map[*entry.Folder]*node
	known map[string]uint32 // contents of what is no file
	next  uint32
	// having tells of pairs of folders whether the first has all that the second has.
	having map[[2]*node]bool
	// members are the files of each content.
	members [][]*file
}

func (t *forest) node(f *entry.Folder) *node {
	n := t.nodes[f]
	if n == nil {
		n = &node{folder: f, broken: f.Place.List || f.Unread()}
		t.nodes[f] = n
		if f.Parent != nil {
			n.parent = t.node(f.Parent)
			n.parent.folders = append(n.parent.folders, n)
			n.spare, n.kept = n.parent.spare, n.parent.kept
		}
	}
	return n
}

// number returns a number for a content.
func (t *forest) number(content string) uint32 {
	n, found := t.known[content]
	if !found {
		t.next++
		n = t.next
		t.known[content] = n
	}
	return n
}

// build makes the folders of what was collected, and of files that are the same.
func build(s *search, files, others *arrange.Collector, classes [][]*file) *forest {
	t := &forest{s: s, nodes: map[*entry.Folder]*node{}, known: map[string]uint32{}, having: map[[2]*node]bool{}, members: make([][]*file, 1, 1+len(classes)+len(s.named))}
	t.number("") // the content of empty files
	t.members = append(t.members, nil)
	hold := func(class []*file) {
		t.next++
		t.members = append(t.members, class)
		for _, f := range class {
			for e := range f.each() {
				n := t.node(e.Folder)
				n.items = append(n.items, item{e, t.next})
			}
		}
	}
	for _, class := range classes {
		if class[0].first.Size > 0 {
			hold(class)
		}
	}
	for _, f := range s.named {
		hold([]*file{f})
	}
	files.Each(func(e *entry.Entry) {
		n := t.node(e.Folder)
		n.direct++
		n.files++
		n.size = quantity.Add(n.size, e.Size)
		n.disk = quantity.Add(n.disk, e.Disk)
		if e.Modified.Compare(n.latest) > 0 {
			n.latest = e.Modified
		}
		if e.Size == 0 {
			n.items = append(n.items, item{e, t.number("")})
		}
	})
	others.Each(t.other)
	return t
}

// other plants what is no file.
func (t *forest) other(e *entry.Entry) {
	if e.Self {
		if e.Inside != nil {
			t.node(e.Inside).entry = e
		}
		return
	}
	n := t.node(e.Folder)
	switch e.Kind {
	case entry.KindFolder:
		if e.Inside == nil {
			n.broken = true
			return
		}
		t.node(e.Inside).entry = e
		return
	case entry.KindLink:
		if e.Known.Has(entry.FactTarget) {
			n.items = append(n.items, item{e, t.number("l" + e.More.Target)})
		}
	case entry.KindPipe, entry.KindSocket:
		n.items = append(n.items, item{e, t.number(e.Kind.String())})
	}
	n.direct++
}

// settle finds which folders are the same, and returns those that are whole and have
// content, those with most in them first.
func (t *forest) settle() (whole []*node) {
	all := make([]*node, 0, len(t.nodes))
	for _, n := range t.nodes {
		all = append(all, n)
	}
	slices.SortFunc(all, func(a, b *node) int { return cmp.Compare(b.folder.Depth, a.folder.Depth) })
	same := map[string]uint32{}
	var key []byte
	for _, n := range all { // the deepest first
		slices.SortFunc(n.items, func(a, b item) int { return strings.Compare(a.entry.Name, b.entry.Name) })
		slices.SortFunc(n.folders, func(a, b *node) int { return strings.Compare(a.folder.Name, b.folder.Name) })
		n.entries = n.direct
		n.broken = n.broken || n.entry == nil || len(n.items) != n.direct
		for _, in := range n.folders {
			n.entries += 1 + in.entries
			n.files += in.files
			n.size = quantity.Add(n.size, in.size)
			n.disk = quantity.Add(n.disk, in.disk)
			n.broken = n.broken || in.broken
			if in.latest.Compare(n.latest) > 0 {
				n.latest = in.latest
			}
		}
		if n.broken {
			continue
		}
		t.findRarest(n)
		key = key[:0]
		for _, it := range n.items {
			key = binary.AppendUvarint(append(append(key, it.entry.Name...), 0), uint64(it.content))
		}
		for _, in := range n.folders {
			key = binary.AppendUvarint(append(append(key, in.folder.Name...), '/'), uint64(in.same))
		}
		number, found := same[string(key)]
		if !found {
			number = uint32(len(same))
			same[string(key)] = number
		}
		n.same = number
		if n.size > 0 {
			whole = append(whole, n)
		}
	}
	slices.SortFunc(whole, func(a, b *node) int {
		return cmp.Or(cmp.Compare(b.entries, a.entries), cmp.Compare(a.same, b.same), arrange.ByPlace(a.entry, b.entry))
	})
	return whole
}

// find makes sets of folders that are the same, and of folders that others have all of:
// the outermost of them.
func (t *forest) find() (sets []*Set) {
	whole := t.settle()
	for len(whole) > 0 {
		n := 1
		for n < len(whole) && whole[n].same == whole[0].same {
			n++
		}
		group := t.apart(whole[:n])
		whole = whole[n:]
		switch {
		case len(group) > 1:
			if !t.s.o.Across || slices.ContainsFunc(group, func(n *node) bool { return n.place() != group[0].place() }) {
				sets = append(sets, t.equal(group))
			}
		case len(group) == 1:
			if larger := t.larger(group[0]); larger != nil {
				sets = append(sets, t.part(group[0], larger))
			}
		}
	}
	return sets
}

// apart returns the folders of a group that lie in no spare, each once.
func (t *forest) apart(group []*node) (left []*node) {
	type identity struct {
		device, inode uint64
		record        int64
	}
	met := map[identity]bool{}
	for _, n := range group {
		id := identity{n.entry.Device, n.entry.Inode, recordOf(n.entry)}
		if n.spare == nil && !met[id] {
			met[id] = true
			left = append(left, n)
		}
	}
	return left
}

func (n *node) place() int { return n.folder.Place.Index }

// within reports whether a folder is another, or lies in it.
func (n *node) within(other *node) bool {
	return n.folder.Depth >= other.folder.Depth && n.folder.Above(other.folder.Depth) == other.folder
}

// setSpare makes a folder, with all in it, a spare of a set.
func (n *node) setSpare(set *Set) {
	if n.spare != nil {
		return
	}
	n.spare = set
	for _, in := range n.folders {
		in.setSpare(set)
	}
}

// setKept notes that a folder stays, with all in it.
func (n *node) setKept() {
	if n.kept {
		return
	}
	n.kept = true
	for _, in := range n.folders {
		in.setKept()
	}
}

// equal makes a set of folders that are the same.
func (t *forest) equal(group []*node) *Set {
	mixed := slices.ContainsFunc(group, func(n *node) bool { return recordOf(n.entry) != recordOf(group[0].entry) })
	compare := t.s.o.Keep.compareFolders()
	slices.SortFunc(group, func(a, b *node) int {
		if mixed { // what is there now is to stay
			if c := cmp.Compare(min(recordOf(a.entry), 1), min(recordOf(b.entry), 1)); c != 0 {
				return c
			}
		}
		return cmp.Or(cmp.Compare(t.s.o.rank(a.entry.FullPath(), true), t.s.o.rank(b.entry.FullPath(), true)), compare(a, b), before(a.kept, b.kept), arrange.ByPlace(a.entry, b.entry))
	})
	set := t.set(group[0])
	set.Files = len(group)
	for i, n := range group {
		set.Copies = append(set.Copies, Copy{Entry: n.summed(), File: i + 1, Stays: i == 0})
		if i == 0 {
			n.setKept()
		} else {
			n.setSpare(set)
		}
	}
	return set
}

// part makes a set of a folder, and one that has all that it has, and more.
func (t *forest) part(small, large *node) *Set {
	set := t.set(small)
	set.Files = 2
	set.Part, set.Beside, set.BesideSize = true, large.files-small.files, large.size-small.size
	set.Copies = []Copy{{large.summed(), 1, true}, {small.summed(), 2, false}}
	large.setKept()
	small.setSpare(set)
	return set
}

func (t *forest) set(n *node) *Set {
	set := &Set{Kind: OfFolders, Size: n.size, Within: n.files, Algorithm: t.s.o.Algorithm}
	if sum, ok := t.digest(n); ok {
		set.Digest = hex.EncodeToString(sum)
	}
	return set
}

// summed returns the entry of a folder, with the totals of what it holds.
func (n *node) summed() *entry.Entry {
	n.entry.Size, n.entry.Disk, n.entry.Summed = n.size, n.disk, true
	return n.entry
}

// mostCandidates is how many folders a folder is held against.
const mostCandidates = 256

// larger returns a folder that has all that another has, by the same names, and more; the
// one that has least beside.
func (t *forest) larger(n *node) (best *node) {
	if t.s.o.Keep != FirstPlace || n.rarest == nil || n.kept {
		return nil
	}
	tried := map[*node]bool{}
	for _, f := range t.content(n.rarest.content) {
		for e := range f.each() {
			other := t.above(n.rarest.entry, e, n.down)
			if other == nil || tried[other] || len(tried) >= mostCandidates {
				continue
			}
			tried[other] = true
			if other.entry == nil || other.within(n) || n.within(other) || other.spare != nil || other.sameFolder(n) ||
				other.place() > n.place() || t.s.o.Across && other.place() == n.place() {
				continue
			}
			if t.s.o.rank(n.entry.FullPath(), true) < t.s.o.rank(other.entry.FullPath(), true) {
				continue
			}
			if best != nil && cmp.Or(cmp.Compare(best.files, other.files), arrange.ByPlace(best.entry, other.entry)) <= 0 {
				continue
			}
			if t.has(other, n) {
				best = other
			}
		}
	}
	return best
}

func (n *node) sameFolder(other *node) bool {
	return n.entry.Device == other.entry.Device && n.entry.Inode == other.entry.Inode && recordOf(n.entry) == recordOf(other.entry)
}

// findRarest finds the file below a folder whose content the fewest others have. The
// folders in it come first.
func (t *forest) findRarest(n *node) {
	try := func(it *item, down int) {
		if class := t.content(it.content); class != nil && (n.rarest == nil || len(class) < len(t.content(n.rarest.content))) {
			n.rarest, n.down = it, down
		}
	}
	for i := range n.items {
		try(&n.items[i], 0)
	}
	for _, in := range n.folders {
		if in.rarest != nil {
			try(in.rarest, in.down+1)
		}
	}
}

// content returns the files of a content; none for what is no file or empty.
func (t *forest) content(number uint32) []*file {
	if int(number) < len(t.members) {
		return t.members[number]
	}
	return nil
}

// above returns the folder that is as far above an entry as some folder is above another
// of the same name, if all names between are the same too.
func (t *forest) above(one, other *entry.Entry, up int) *node {
	if one.Name != other.Name {
		return nil
	}
	a, b := one.Folder, other.Folder
	for ; up > 0; up-- {
		if b.Parent == nil || a.Name != b.Name {
			return nil
		}
		a, b = a.Parent, b.Parent
	}
	return t.nodes[b]
}

// has reports whether a folder has all that another has, by the same names.
func (t *forest) has(n, other *node) (all bool) {
	if len(other.items) > len(n.items) || len(other.folders) > len(n.folders) {
		return false
	}
	pair := [2]*node{n, other}
	if all, known := t.having[pair]; known {
		return all
	}
	defer func() { t.having[pair] = all }()
	for _, it := range other.items {
		at, found := slices.BinarySearchFunc(n.items, it.entry.Name, func(a item, name string) int { return strings.Compare(a.entry.Name, name) })
		if !found || n.items[at].content != it.content {
			return false
		}
	}
	for _, in := range other.folders {
		at, found := slices.BinarySearchFunc(n.folders, in.folder.Name, func(a *node, name string) int { return strings.Compare(a.folder.Name, name) })
		if !found || !t.has(n.folders[at], in) {
			return false
		}
	}
	return true
}

// digest returns the tree hash of a folder: the digest of a text with, for each entry in
// order of the bytes of their names, the kind, a space, the digest in hexadecimal, a
// space, the name and a NUL. The digest is of the content; of a link, of where it points;
// of a folder, this; of what has no content, of nothing. It returns false if some digest
// is not known.
func (t *forest) digest(n *node) ([]byte, bool) {
	if n.sum != nil {
		return n.sum, true
	}
	type line struct{ name, kind, digest string }
	var lines []line
	algorithm := t.s.o.Algorithm
	of := func(text string) string {
		h := algorithm.New()
		io.WriteString(h, text)
		return hex.EncodeToString(h.Sum(nil))
	}
	for _, it := range n.items {
		l := line{it.entry.Name, it.entry.Kind.String(), ""}
		switch class := t.content(it.content); {
		case class != nil && class[0].first.Known.Has(algorithm.Fact):
			l.digest = class[0].first.More.Digests.By(algorithm.Fact)
		case class != nil:
			return nil, false
		case it.entry.Kind == entry.KindLink:
			l.digest = of(it.entry.More.Target)
		default:
			l.digest = of("")
		}
		lines = append(lines, l)
	}
	for _, in := range n.folders {
		sum, known := t.digest(in)
		if !known {
			return nil, false
		}
		lines = append(lines, line{in.folder.Name, entry.KindFolder.String(), hex.EncodeToString(sum)})
	}
	slices.SortFunc(lines, func(a, b line) int { return strings.Compare(a.name, b.name) })
	h := algorithm.New()
	for _, l := range lines {
		io.WriteString(h, l.kind+" "+l.digest+" "+l.name+"\x00")
	}
	n.sum = h.Sum(nil)
	return n.sum, true
}

func (k Keep) compareFolders() func(a, b *node) int {
	switch k {
	case Oldest:
		return func(a, b *node) int { return a.latest.Compare(b.latest) }
	case Newest:
		return func(a, b *node) int { return b.latest.Compare(a.latest) }
	case ShortestPath:
		return func(a, b *node) int { return cmp.Compare(len(a.entry.Path()), len(b.entry.Path())) }
	}
	return func(a, b *node) int { return cmp.Compare(a.place(), b.place()) }
}

// spareOf returns the set of folders of which a name lies in a spare; nil for none.
func (t *forest) spareOf(e *entry.Entry) *Set {
	if t == nil {
		return nil
	}
	return t.node(e.Folder).spare
}

// before orders what something is so for before the rest.
func before(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}
