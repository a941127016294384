package weigh_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/weigh"
)

// run weighs a small tree whose sums are easily added up: a/b has 40 B twice under one inode, a has 7 B, and
// the place 5 B.
func run(t *testing.T, o weigh.Options, depth int) (string, *weigh.Answer, error) {
	root := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(root, "a/b"), 0o755))
	for name, size := range map[string]int{"top": 5, "a/x": 7, "a/b/y": 40} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), make([]byte, size), 0o644))
	}
	require.NoError(t, os.Link(filepath.Join(root, "a/b/y"), filepath.Join(root, "a/b/z")))
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	if o.Explain != "" {
		o.Explain = filepath.Join(root, o.Explain)
	}
	o.Plan.By, o.Plan.Depth, o.Context = sums.BySize, depth, &entry.Context{}
	a, err := weigh.Run(t.Context(), &source.Set{Sources: []source.Source{s}}, o)
	return root, a, err
}

// Whatever is shown, each file is counted once, and the other names are told.
func TestRun(t *testing.T) {
	t.Parallel()
	_, a, err := run(t, weigh.Options{}, 9)
	require.NoError(t, err)
	var got []string
	for _, r := range a.Rows {
		got = append(got, fmt.Sprint(r.Folder.Relative(), " ", r.Sum.Size, " ", r.Sum.Files, " ", r.Complete))
	}
	assert.Equal(t, []string{" 52 4 true", "a 47 3 true", "a/b 40 2 true"}, got, "names are counted each, bytes once")
	assert.EqualValues(t, 52, a.Matched.Size)
	assert.EqualValues(t, 1, a.Elsewhere.Files)
	assert.EqualValues(t, 40, a.Elsewhere.Size)
	assert.False(t, a.Stopped || a.Overlap)
}

func TestHeaviest(t *testing.T) {
	t.Parallel()
	_, a, err := run(t, weigh.Options{Plan: weigh.Plan{Heaviest: 2}}, 0)
	require.NoError(t, err)
	var sizes []int64
	for _, r := range a.Rows {
		sizes = append(sizes, r.Sum.Size)
	}
	assert.Equal(t, []int64{40, 7}, sizes, "the file of two names once")
}

// The running total of what was added up for a folder ends at what the folder weighs.
func TestExplain(t *testing.T) {
	t.Parallel()
	_, a, err := run(t, weigh.Options{Explain: "a"}, 0)
	require.NoError(t, err)
	require.Len(t, a.Addends, 3)
	total, again := int64(0), 0
	for _, one := range a.Addends {
		total += one.Adds
		assert.Equal(t, total, one.Total)
		if one.CountedAs != "" {
			again++
			assert.Zero(t, one.Adds)
		}
	}
	assert.EqualValues(t, 47, total)
	assert.Equal(t, 1, again)
	_, _, err = run(t, weigh.Options{Explain: "none"}, 0)
	assert.ErrorIs(t, err, weigh.ErrNothing)
}
