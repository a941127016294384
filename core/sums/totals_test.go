package sums_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// kernelSum adds up what the kernel says lies below a folder. A file with
// several names counts where the first of them in the whole tree is, by bytes.
func kernelSum(t *testing.T, root, below string) (size, disk, names int64) {
	first := map[uint64]string{}
	visit := func(place string, found func(path string, st *unix.Stat_t)) {
		require.NoError(t, filepath.Walk(place, func(path string, _ os.FileInfo, err error) error {
			require.NoError(t, err)
			var st unix.Stat_t
			require.NoError(t, unix.Lstat(path, &st))
			if path != place {
				found(path, &st)
			}
			return nil
		}))
	}
	visit(root, func(path string, st *unix.Stat_t) {
		if old, seen := first[st.Ino]; !seen || path < old {
			first[st.Ino] = path
		}
	})
	visit(below, func(path string, st *unix.Stat_t) {
		names++
		if first[st.Ino] != path {
			return
		}
		disk += st.Blocks * 512
		if st.Mode&unix.S_IFMT == unix.S_IFREG {
			size += st.Size
		}
	})
	return size, disk, names
}

func TestTotalsAgreeWithKernel(t *testing.T) {
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 2))
	root := t.TempDir()
	folders, files := []string{root}, []string{}
	for i := range 600 {
		path := filepath.Join(folders[random.IntN(len(folders))], fmt.Sprint("n", random.IntN(9), "-", i))
		switch random.IntN(5) {
		case 0:
			require.NoError(t, os.Mkdir(path, 0o755))
			folders = append(folders, path)
		case 1:
			if len(files) > 0 { // also across sibling folders
				require.NoError(t, os.Link(files[random.IntN(len(files))], path))
			}
		case 2:
			require.NoError(t, os.Symlink("x", path))
		default:
			require.NoError(t, os.WriteFile(path, make([]byte, random.IntN(20000)), 0o644))
			if random.IntN(3) == 0 {
				require.NoError(t, os.Truncate(path, 1<<30))
			}
			files = append(files, path)
		}
	}
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	counter := sums.NewCounter(source.Nowhere)
	totals := sums.NewTotals(counter)
	var mu sync.Mutex
	var kept []entry.Entry
	sink := source.SinkFunc(func() source.Visitor {
		next := totals.Visitor()
		return func(entries []entry.Entry) error {
			mu.Lock()
			defer mu.Unlock()
			for _, e := range entries {
				if e.Inside != nil {
					e.Name = strings.Clone(e.Name)
					kept = append(kept, e)
				}
			}
			return next(entries)
		}
	})
	_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, sink)
	require.NoError(t, err)
	require.Len(t, kept, len(folders)-1)
	for _, e := range kept {
		size, disk, names := kernelSum(t, root, e.Path())
		sum := totals.Of(e.Inside)
		require.Equal(t, []int64{size, disk, names}, []int64{sum.Size, sum.Disk, sum.Entries()}, e.Path())
	}
	size, disk, names := kernelSum(t, root, root)
	for _, sum := range []sums.Sum{totals.All(), counter.Sum()} {
		assert.Equal(t, []int64{size, disk, names}, []int64{sum.Size, sum.Disk, sum.Entries()})
	}
}

func TestSumsDoNotWrap(t *testing.T) {
	sum := sums.Sum{Size: 1 << 62}
	for range 5 {
		sum.Add(sums.Sum{Size: 1<<63 - 1})
	}
	assert.EqualValues(t, 1<<63-1, sum.Size)
}
