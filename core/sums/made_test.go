package sums_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// grown is a made-up tree: files by their sizes, and which of them a condition chose.
type grown struct {
	t     *testing.T
	visit source.Visitor
}

func (g *grown) put(entries ...entry.Entry) { require.NoError(g.t, g.visit(entries)) }

func file(in *entry.Folder, name string, size int64, more ...func(*entry.Entry)) entry.Entry {
	e := entry.Entry{Folder: in, Name: name, Kind: entry.KindFile, Known: entry.FactStatus, Size: size, Links: 1}
	for _, with := range more {
		with(&e)
	}
	return e
}

func folder(f *entry.Folder, more ...func(*entry.Entry)) entry.Entry {
	e := entry.Entry{Folder: f.Parent, Name: f.Name, Kind: entry.KindFolder, Known: entry.FactStatus, Inside: f}
	for _, with := range more {
		with(&e)
	}
	return e
}

func chosen(e *entry.Entry) { e.Marks |= entry.MarkChosen }

func named(inode uint64) func(*entry.Entry) {
	return func(e *entry.Entry) { e.Inode, e.Links = inode, 2 }
}

func TestTotals(t *testing.T) {
	place := &entry.Place{Given: "top", Full: "/top"}
	root := &entry.Folder{Place: place}
	a, void, shut, partly := entry.NewFolder(root, "a"), entry.NewFolder(root, "void"), entry.NewFolder(root, "shut"), entry.NewFolder(root, "partly")
	deep := entry.NewFolder(a, "deep")
	shut.MarkUnread()
	partly.MarkUnread()
	totals := sums.NewTotals(source.Nowhere)
	one, other := &grown{t, totals.Visitor()}, &grown{t, totals.Visitor()}
	one.put(entry.Entry{Folder: root, Self: true, Kind: entry.KindFolder, Inside: root, Known: entry.FactStatus})
	one.put(folder(a), folder(void), folder(shut), folder(partly), file(root, "r", 1))
	other.put(file(partly, "p", 3))
	other.put(folder(deep), file(a, "z", 10, named(5)))
	one.put(file(deep, "x", 10, named(5)), file(deep, "y", 100))
	leaf := &entry.Place{Given: "one", Full: "/one", Leaf: true}
	self := &entry.Folder{Place: leaf}
	other.put(entry.Entry{Folder: self, Name: "one", Self: true, Kind: entry.KindFile, Known: entry.FactStatus, Size: 7, Links: 1})

	size := func(f *entry.Folder) int64 { s := totals.Of(f); return s.Size }
	assert.Equal(t, []int64{114, 110, 110, 0}, []int64{size(root), size(a), size(deep), size(void)}, "the first name counts, in order of paths")
	own := totals.Own(a)
	assert.Equal(t, []int64{0, 1, 1}, []int64{own.Size, own.Files, own.Folders})
	assert.Equal(t, root, totals.Root(place, nil))
	assert.Equal(t, self, totals.Root(leaf, nil))
	nowhere := &entry.Place{Given: "nowhere"}
	assert.Equal(t, nowhere, totals.Root(nowhere, nil).Place)
	of := totals.Of(totals.Root(leaf, nil))
	assert.EqualValues(t, 7, of.Size, "a place that is a file holds itself")
	all := totals.All()
	assert.Equal(t, []int64{121, 6, 5, 2}, []int64{all.Size, all.Files, all.Folders, all.Unread})

	z, x := file(a, "z", 10), file(deep, "x", 10)
	assert.Equal(t, []string{"top/a/deep/x", ""}, []string{totals.CountedAs(&z), totals.CountedAs(&x)})
	assert.Equal(t, []bool{true, false}, []bool{totals.CountedElsewhere(&z), totals.CountedElsewhere(&x)})
	again := totals.Elsewhere()
	assert.Equal(t, []int64{1, 10}, []int64{again.Files, again.Size})
	var empty []string
	totals.EachEmpty(func(f *entry.Folder) { empty = append(empty, f.Name) })
	assert.Equal(t, []string{"void"}, empty, "not those with something in them, that could not be read, or that are places")
	assert.ElementsMatch(t, []*entry.Folder{a, void, shut, partly}, totals.Below(root))

	for name, want := range map[*entry.Folder]struct {
		size   int64
		summed bool
		marks  entry.Marks
	}{a: {110, true, 0}, root: {114, true, entry.MarkAtLeast}, shut: {80, false, entry.MarkUnsized}, partly: {80, false, entry.MarkUnsized}, void: {0, true, 0}} {
		e := entry.Entry{Kind: entry.KindFolder, Size: 80, Inside: name}
		totals.Amend(&e)
		assert.Equal(t, []any{want.size, want.summed, want.marks}, []any{e.Size, e.Summed, e.Marks}, name.Name)
	}
	for _, e := range []entry.Entry{{Kind: entry.KindFolder, Size: 80}, {Kind: entry.KindFile, Size: 80, Inside: a}} {
		totals.Amend(&e)
		assert.Equal(t, []any{int64(80), false}, []any{e.Size, e.Summed}, "nothing is known of what is in it")
	}
}

// Of what was chosen everything counts once: a folder in a folder, and a file by any of its names.
func TestTotalsOfWhatIsChosen(t *testing.T) {
	root := &entry.Folder{Place: &entry.Place{Given: "top", Full: "/top"}}
	a, b := entry.NewFolder(root, "a"), entry.NewFolder(root, "b")
	in := entry.NewFolder(a, "in")
	totals := sums.NewTotalsOf(source.Nowhere)
	g := &grown{t, totals.Visitor()}
	g.put(folder(a, chosen), folder(b), file(root, "0", 1, named(5)), file(root, "1", 2, chosen), file(root, "2", 4))
	g.put(folder(in, chosen), file(a, "x", 8, chosen))
	g.put(file(in, "y", 16, named(5)), file(in, "z", 32))
	g.put(file(b, "v", 64, named(6), chosen), file(b, "w", 64, named(6)))
	all := totals.All()
	assert.EqualValues(t, 2+8+16+32+64, all.Size)
	held := totals.Of(a)
	assert.EqualValues(t, 8+16+32, held.Size, "it holds the file though a name elsewhere comes first, which is not shown")
}

// A place that could not be read does not weigh nothing.
func TestTotalsOfWhatIsShut(t *testing.T) {
	t.Parallel()
	totals := sums.NewTotals(source.Nowhere)
	sum := totals.Of(totals.Root(&entry.Place{Given: "shut"}, []source.Problem{{Path: "shut", Shut: true}}))
	for _, by := range []sums.Measure{sums.BySize, sums.ByDisk, sums.ByFiles} {
		assert.False(t, by.Known(&sum))
	}
	sum = totals.Of(totals.Root(&entry.Place{Given: "bare"}, nil))
	assert.True(t, sums.BySize.Known(&sum))
}
