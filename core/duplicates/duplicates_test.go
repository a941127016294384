package duplicates_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/arrange"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// collect reads the folders that files are to be looked for in.
func collect(t *testing.T, places ...string) *arrange.Collector {
	collected := arrange.NewCollector(arrange.Order{}, nil, 0)
	for i, place := range places {
		s, err := live.Open(place, i)
		require.NoError(t, err)
		_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, duplicates.Files(collected))
		require.NoError(t, err)
	}
	return collected
}

// Files that vanish, change, or are replaced after they were looked at are said,
// and are in no set; a pipe in the place of one is not waited for.
func TestFilesThatChangeMeanwhile(t *testing.T) {
	for _, size := range []int{100, 50_000, 3 << 20} {
		root := t.TempDir()
		path := func(i int) string { return filepath.Join(root, fmt.Sprint("n", i)) }
		content := bytes.Repeat([]byte("x"), size)
		for i := range 8 {
			require.NoError(t, os.WriteFile(path(i), content, 0o644))
		}
		collected := collect(t, root)
		require.NoError(t, os.Remove(path(1)))
		require.NoError(t, os.Truncate(path(2), int64(size)+1))
		require.NoError(t, os.Truncate(path(3), int64(size)-1))
		require.NoError(t, os.Remove(path(4)))
		require.NoError(t, unix.Mkfifo(path(4), 0o644))
		content[size/2] = 'y'
		require.NoError(t, os.WriteFile(path(5), content, 0o644))
		require.NoError(t, os.Chtimes(path(5), time.Now(), time.Now().Add(time.Second)))
		require.NoError(t, os.Remove(path(6)))
		require.NoError(t, os.Symlink("n0", path(6)))
		progress := &source.Progress{}
		a, err := duplicates.Find(context.Background(), collected, nil, digest.NewPool(live.Files{}, progress), duplicates.Options{Algorithm: entry.Algorithms[0]})
		require.NoError(t, err)
		require.Len(t, a.Sets, 1)
		assert.Equal(t, 2, a.Sets[0].Files, "the first and the last")
		assert.Len(t, a.Problems, 6)
		for _, p := range a.Problems {
			assert.Equal(t, p.Path == path(1), p.Vanished, p.Path)
		}
	}
}

// Content that begins and ends alike, and differs between, is told apart; and
// each file is read whole once at most.
func TestReadsNoMoreThanItMust(t *testing.T) {
	root := t.TempDir()
	const size = 200_000
	same, ends, unlike := bytes.Repeat([]byte("s"), size), bytes.Repeat([]byte("s"), size), bytes.Repeat([]byte("u"), size)
	ends[size/2] = 'x'
	for i, content := range [][]byte{same, same, ends, unlike, unlike[:size-1]} {
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint("n", i)), content, 0o644))
	}
	require.NoError(t, os.Link(filepath.Join(root, "n0"), filepath.Join(root, "name")))
	for _, confirm := range []bool{false, true} {
		progress := &source.Progress{}
		a, err := duplicates.Find(context.Background(), collect(t, root), nil, digest.NewPool(live.Files{}, progress),
			duplicates.Options{Algorithm: entry.Algorithms[0], Confirm: confirm})
		require.NoError(t, err)
		require.Len(t, a.Sets, 1)
		assert.Len(t, a.Sets[0].Copies, 3)
		read := int64(4*8192 + 3*size)
		if confirm {
			read += 2 * size
		}
		assert.Equal(t, read, progress.Read.Load())
	}
}
