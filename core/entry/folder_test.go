package entry_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
)

// Ways up that take long steps end where steps from parent to parent do.
func TestAboveAndPart(t *testing.T) {
	t.Parallel()
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	random := rand.New(rand.NewPCG(seed, 0))
	var folders []*entry.Folder
	for range 2 {
		folders = append(folders, &entry.Folder{Place: &entry.Place{}})
	}
	for range 3000 {
		in := folders[random.IntN(len(folders))]
		if random.IntN(3) > 0 {
			in = folders[len(folders)-1]
		}
		folders = append(folders, entry.NewFolder(in, "n"))
	}
	trail := func(f *entry.Folder) (up []*entry.Folder) { // by depth
		for ; f != nil; f = f.Parent {
			up = append([]*entry.Folder{f}, up...)
		}
		return up
	}
	for range 3000 {
		a, b := folders[random.IntN(len(folders))], folders[random.IntN(len(folders))]
		up, other := trail(a), trail(b)
		depth := random.IntN(len(up))
		require.Same(t, up[depth], a.Above(depth))
		at := 0
		for at < min(len(up), len(other))-1 && up[at] == other[at] {
			at++
		}
		x, y := entry.Part(a, b)
		require.Same(t, up[at], x)
		require.Same(t, other[at], y)
	}
}
