package arrange_test

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/text"
)

func TestParseOrderRefuses(t *testing.T) {
	for words, part := range map[string]string{
		"sise": "did you mean size?", "size,": "no such field", "size/up": "/reverse", "none,size": "no such field",
	} {
		_, err := arrange.ParseOrder(words)
		assert.ErrorContains(t, err, part, words)
	}
}

// entries makes random entries in a few folders; many are alike in all but name.
func entries(n int) []entry.Entry {
	random := rand.New(rand.NewPCG(3, 9))
	root := &entry.Folder{Place: &entry.Place{Given: "p"}}
	folders := []*entry.Folder{root}
	for i := range 20 {
		folders = append(folders, entry.NewFolder(folders[random.IntN(len(folders))], fmt.Sprintf("f%d", i)))
	}
	list := make([]entry.Entry, n)
	for i := range list {
		list[i] = entry.Entry{
			Folder: folders[random.IntN(len(folders))], Name: fmt.Sprintf("n%d", i), Kind: entry.Kind(1 + random.IntN(3)),
			Size: int64(random.IntN(5)), Modified: entry.Time{Sec: int64(random.IntN(3)), Nsec: uint32(random.IntN(3))},
		}
		if random.IntN(4) > 0 {
			list[i].Known = entry.FactStatus
		}
	}
	return list
}

func line(e *entry.Entry) string {
	return fmt.Sprintf("%s %v %d %d.%d", e.Path(), e.HasSize(), e.Size, e.Modified.Sec, e.Modified.Nsec)
}

func collect(t *testing.T, words string, first int, list []entry.Entry) []string {
	order, err := arrange.ParseOrder(words)
	require.NoError(t, err)
	return inOrder(t, order, first, list)
}

func inOrder(t *testing.T, order arrange.Order, first int, list []entry.Entry) []string {
	c := arrange.NewCollector(order, &entry.Context{AsOf: time.Unix(9, 0)}, first)
	visitors := []func([]entry.Entry) error{c.Visitor(), c.Visitor(), c.Visitor()}
	for i := range list {
		require.NoError(t, visitors[i%3](list[i:i+1]))
	}
	a := c.Arrange()
	var paths []string
	for i := range a.Len() {
		paths = append(paths, line(a.At(i)))
	}
	return paths
}

// The order is that of a plain stable sort, whatever came to which visitor and
// however many cores share the work; the first few are its beginning.
func TestCollectorOrders(t *testing.T) {
	list := entries(15_000)
	for _, words := range []string{"", "size", "size/reverse,modified", "modified/reverse", "kind,name/reverse", "age", "path"} {
		all := collect(t, words, 0, list)
		shuffled := slices.Clone(list)
		rand.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		require.Equal(t, all, collect(t, words, 0, shuffled), words)
		require.Equal(t, all[:70], collect(t, words, 70, shuffled), words)
	}
	sorted := slices.Clone(list)
	slices.SortStableFunc(sorted, func(a, b entry.Entry) int {
		switch {
		case a.HasSize() != b.HasSize():
			if a.HasSize() {
				return -1
			}
			return 1
		case a.HasSize() && a.Size != b.Size:
			return int(b.Size - a.Size)
		}
		return cmp.Or(text.CompareNatural(a.Folder.Path()+"/", b.Folder.Path()+"/"), text.CompareNatural(a.Name, b.Name))
	})
	var want []string
	for i := range sorted {
		want = append(want, line(&sorted[i]))
	}
	require.Equal(t, want, collect(t, "size", 0, list))
}

// In order of names, however many of them begin alike, the keys give what comparing the names gives.
func TestOrderOfNames(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	random := rand.New(rand.NewPCG(seed, 0))
	pieces := []string{"", "a", "A", "é", "É", "0", "00", "1", "10", "007", "-", ".wav", "recording ", "日本", "\xff", "a long beginning "}
	folders := []*entry.Folder{{Place: &entry.Place{Given: "one"}}, {Place: &entry.Place{Given: "two", Index: 1}}}
	list := make([]entry.Entry, 40_000)
	for i := range list {
		name := "rec"
		if random.IntN(1000) == 0 {
			name = "other"
		}
		for range random.IntN(8) {
			name += pieces[random.IntN(len(pieces))]
		}
		list[i] = entry.Entry{Name: name, Folder: folders[random.IntN(20)/19], Kind: entry.KindFile}
	}
	sorted := slices.Clone(list)
	slices.SortStableFunc(sorted, func(a, b entry.Entry) int {
		return cmp.Or(a.Folder.Place.Index-b.Folder.Place.Index, text.CompareNatural(a.Name, b.Name))
	})
	var want []string
	for i := range sorted {
		want = append(want, line(&sorted[i]))
	}
	for _, order := range []arrange.Order{{}, arrange.Order{}.Reversed()} {
		got := inOrder(t, order, 0, list)
		require.Len(t, got, len(want))
		for i := range want {
			require.Equal(t, want[i], got[i])
		}
		slices.Reverse(want)
	}
}
