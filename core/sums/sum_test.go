package sums_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// What is known of a sum: anything of its sizes, of its room on disk, of its number, and all of it.
func TestWhatIsKnown(t *testing.T) {
	for name, c := range map[string]struct {
		sum                        sums.Sum
		size, disk, entries, whole bool
	}{
		"nothing is there":            {sums.Sum{}, true, true, true, true},
		"one file":                    {sums.Sum{Files: 1, Known: 1, Sized: 1}, true, true, true, true},
		"a file of unknown size":      {sums.Sum{Files: 1, Known: 1}, false, true, true, false},
		"one of two of unknown size":  {sums.Sum{Files: 2, Known: 2, Sized: 1}, true, true, true, false},
		"only names":                  {sums.Sum{Files: 1, Links: 1}, false, false, true, false},
		"only the name of a folder":   {sums.Sum{Folders: 1}, true, false, true, false},
		"unread, nothing seen":        {sums.Sum{Unread: 1}, false, false, false, false},
		"unread, a folder seen":       {sums.Sum{Unread: 1, Folders: 1, Known: 1}, false, true, true, false},
		"unread, a file seen":         {sums.Sum{Unread: 1, Files: 1, Known: 1, Sized: 1}, true, true, true, false},
		"nothing but links and pipes": {sums.Sum{Links: 2, Others: 1, Known: 3}, true, true, true, true},
	} {
		s := c.sum
		assert.Equal(t, []bool{c.size, c.disk, c.entries, c.whole}, []bool{s.HasSize(), s.HasDisk(), s.HasEntries(), s.Whole()}, name)
	}
}

func TestTake(t *testing.T) {
	at := entry.Time{Sec: 7}
	for name, c := range map[string]struct {
		e       entry.Entry
		sum     sums.Sum
		bytes   sums.Sum
		several bool
	}{
		"file":              {entry.Entry{Kind: entry.KindFile, Known: entry.FactStatus, Size: 5, Disk: 4096, Links: 1, Modified: at}, sums.Sum{Files: 1, Known: 1, Sized: 1, Size: 5, Disk: 4096, Newest: at, Dated: true}, sums.Sum{Size: 5, Disk: 4096}, false},
		"file of two names": {entry.Entry{Kind: entry.KindFile, Known: entry.FactStatus, Size: 5, Disk: 4096, Links: 2, Modified: at}, sums.Sum{Files: 1, Known: 1, Sized: 1, Newest: at, Dated: true}, sums.Sum{Size: 5, Disk: 4096}, true},
		"file without size": {entry.Entry{Kind: entry.KindFile, Known: entry.FactStatus, Size: 5, Links: 1, Marks: entry.MarkUnsized, Modified: at}, sums.Sum{Files: 1, Known: 1, Newest: at, Dated: true}, sums.Sum{}, false},
		"name of a file":    {entry.Entry{Kind: entry.KindFile}, sums.Sum{Files: 1}, sums.Sum{}, false},
		"folder":            {entry.Entry{Kind: entry.KindFolder, Known: entry.FactStatus, Size: 80, Disk: 4096, Links: 3, Modified: at}, sums.Sum{Folders: 1, Known: 1, Disk: 4096}, sums.Sum{Disk: 4096}, false},
		"link":              {entry.Entry{Kind: entry.KindLink, Known: entry.FactStatus, Size: 9, Links: 1, Modified: at}, sums.Sum{Links: 1, Known: 1, Newest: at, Dated: true}, sums.Sum{}, false},
		"link of two names": {entry.Entry{Kind: entry.KindLink, Known: entry.FactStatus, Disk: 512, Links: 2, Modified: at}, sums.Sum{Links: 1, Known: 1, Newest: at, Dated: true}, sums.Sum{Disk: 512}, true},
		"pipe":              {entry.Entry{Kind: entry.KindPipe, Known: entry.FactStatus, Links: 1, Modified: at}, sums.Sum{Others: 1, Known: 1, Newest: at, Dated: true}, sums.Sum{}, false},
	} {
		var sum sums.Sum
		bytes, several := sum.Take(&c.e)
		assert.Equal(t, c.several, several, name)
		assert.Equal(t, []sums.Sum{c.sum, c.bytes}, []sums.Sum{sum, bytes}, name)
	}
}

func TestAdd(t *testing.T) {
	a := sums.Sum{Files: 1, Folders: 2, Links: 3, Others: 4, Size: 5, Disk: 6, Known: 7, Sized: 8, Unread: 9}
	sum := a
	sum.Add(a)
	assert.Equal(t, sums.Sum{Files: 2, Folders: 4, Links: 6, Others: 8, Size: 10, Disk: 12, Known: 14, Sized: 16, Unread: 18}, sum)
	assert.EqualValues(t, 1+2+3+4, a.Entries())
	for _, at := range []int64{5, 3, 9, 9, 4} { // the newest stays, and a sum without one alters nothing
		sum.Add(sums.Sum{Newest: entry.Time{Sec: at}, Dated: true})
		sum.Add(sums.Sum{Newest: entry.Time{Sec: 99}})
	}
	assert.Equal(t, entry.Time{Sec: 9}, sum.Newest)
	assert.True(t, sum.Dated)
	old := sums.Sum{}
	old.Date(entry.Time{Sec: -5})
	assert.Equal(t, entry.Time{Sec: -5}, old.Newest, "before 1970, too")
}

// Of the names that something has the first is counted, on each machine for itself; the others are told which.
func TestCountOnce(t *testing.T) {
	names := func(of ...string) (list []sums.Name[string]) {
		for _, one := range of {
			list = append(list, sums.Name[string]{Node: entry.Node{Inode: uint64(one[0]), Host: one[1:2]}, Of: one})
		}
		return list
	}
	var first, again []string
	sums.CountOnce(names("1ac", "2aa", "1aa", "1bb", "1ab"), func(of string) string { return of },
		func(n *sums.Name[string]) { first = append(first, n.Of) },
		func(n, counted *sums.Name[string]) { again = append(again, n.Of+" as "+counted.Of) })
	assert.Equal(t, []string{"1aa", "1bb", "2aa"}, first)
	assert.Equal(t, []string{"1ab as 1aa", "1ac as 1aa"}, again)
	sums.CountOnce(names("1aa", "1ab"), func(of string) string { return of }, func(*sums.Name[string]) {}, nil)
}

// However many visitors there are, the sum is of all, and what has several names is counted once.
func TestCounter(t *testing.T) {
	passed := 0
	counter := sums.NewCounter(source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			passed += len(entries)
			return nil
		}
	}))
	folder := &entry.Folder{Place: &entry.Place{}}
	for range 3 {
		visit := counter.Visitor()
		require.NoError(t, visit([]entry.Entry{
			{Folder: folder, Kind: entry.KindFile, Known: entry.FactStatus, Size: 10, Links: 1},
			{Folder: folder, Kind: entry.KindFile, Known: entry.FactStatus, Size: 100, Links: 3, Inode: 4},
		}))
	}
	sum := counter.Sum()
	assert.Equal(t, []int64{6, 3*10 + 100, 6}, []int64{sum.Files, sum.Size, int64(passed)})
	assert.Equal(t, sum, counter.Sum(), "asked again it says the same")
}

func TestMeasure(t *testing.T) {
	s := &sums.Sum{Size: 1, Disk: 2, Files: 3}
	assert.Equal(t, []int64{1, 2, 3}, []int64{sums.BySize.Of(s), sums.ByDisk.Of(s), sums.ByFiles.Of(s)})
	assert.Equal(t, "files", sums.MeasureWords[sums.ByFiles])
}
