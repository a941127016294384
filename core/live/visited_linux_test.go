package live

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
)

// However folders are entered, each is the one that its path leads to, no more are open than may
// be, and none is left open.
func TestVisited(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	random := rand.New(rand.NewPCG(seed, 0))
	var folders []*entry.Folder
	for i := range 2 {
		root := t.TempDir()
		folders = append(folders, &entry.Folder{Place: &entry.Place{Index: i, Given: root, Full: root}})
	}
	for i := range 200 {
		in := folders[random.IntN(len(folders))]
		if random.IntN(2) == 0 {
			in = folders[len(folders)-1] // far down, too
		}
		f := entry.NewFolder(in, strconv.Itoa(i))
		require.NoError(t, os.Mkdir(f.Path(), 0o755))
		folders = append(folders, f)
	}
	gone := entry.NewFolder(folders[0], "gone")
	for _, most := range []int{leastVisited, 7, mostVisited} {
		before := openHandles(t)
		v := &visited{most: most}
		for range 2000 {
			f := folders[random.IntN(len(folders))]
			if random.IntN(20) == 0 {
				_, err := v.enter(gone)
				require.ErrorIs(t, err, unix.ENOENT)
			}
			dir, err := v.enter(f)
			require.NoError(t, err)
			var is, want unix.Stat_t
			require.NoError(t, unix.Fstat(dir.Handle(), &is))
			require.NoError(t, unix.Stat(f.Path(), &want))
			require.Equal(t, want.Ino, is.Ino, f.Path())
			require.LessOrEqual(t, len(v.open), most)
		}
		v.close()
		require.Equal(t, before, openHandles(t))
	}
}

func openHandles(t *testing.T) int {
	all, err := filepath.Glob("/proc/self/fd/*")
	require.NoError(t, err)
	return len(all)
}
