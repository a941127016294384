package gen_test

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/bench/gen"
	"frankledger/internal/testdisk"
)

func TestMain(m *testing.M) {
	testdisk.Use()
	os.Exit(m.Run())
}

// listed are the relative paths, kinds and sizes of what is in a folder.
func listed(t *testing.T, root string) (all []string) {
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		info, err := d.Info()
		require.NoError(t, err)
		if size := info.Size(); path != root {
			if d.IsDir() {
				size = 0
			}
			all = append(all, fmt.Sprint(path[len(root):], d.Type(), size))
		}
		return nil
	}))
	return all
}

// What is made has the number of entries that was asked for, and is the same each time.
func TestMake(t *testing.T) {
	t.Parallel()
	for what, entries := range map[string]int{"tree": 700, "flat": 300, "chain": 40, "alike": 50, "names": 50, "extensions": 50, "empties": 50} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			one, two := t.TempDir(), t.TempDir()
			for _, root := range []string{one, two} {
				_, err := gen.Make(what, root, entries)
				require.NoError(t, err)
			}
			first := listed(t, one)
			assert.Equal(t, first, listed(t, two))
			if what == "names" {
				entries++ // the first of the names
			}
			assert.Len(t, first, entries)
		})
	}
	_, err := gen.Make("nothing", t.TempDir(), 1)
	assert.Error(t, err)
}

func TestAlter(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	_, err := gen.Make("tree", root, 2000)
	require.NoError(t, err)
	before := times(t, root)
	_, err = gen.Make("alter", root, 10)
	require.NoError(t, err)
	altered := 0
	for path, at := range times(t, root) {
		if before[path] != at {
			altered++
		}
	}
	assert.InDelta(t, 200, altered, 60, "one file in ten")
}

// times are the times of all files.
func times(t *testing.T, root string) map[string]int64 {
	all := map[string]int64{}
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		if d.Type().IsRegular() {
			info, err := d.Info()
			require.NoError(t, err)
			all[path] = info.ModTime().UnixNano()
		}
		return nil
	}))
	return all
}
