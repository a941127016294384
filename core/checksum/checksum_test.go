package checksum_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/arrange"
	"frankledger/core/checksum"
	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

func TestMarks(t *testing.T) {
	var marks []string
	for _, n := range []int{0, 1, 2, 26, 27, 52, 53, 702, 703} {
		marks = append(marks, checksum.Mark(n))
	}
	assert.Equal(t, []string{"", "a", "b", "z", "aa", "az", "ba", "zz", "aaa"}, marks)
}

// Groups are numbered in order of their first files, and the names of one file
// are read once.
func TestTake(t *testing.T) {
	root := t.TempDir()
	for name, content := range map[string]string{"1": "x", "2": "alone", "3": "y", "4": "x", "5": "y", "6": "x"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	require.NoError(t, os.Link(filepath.Join(root, "2"), filepath.Join(root, "7")))
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	collected := arrange.NewCollector(arrange.Order{}, nil, 0)
	_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: 1}, collected)
	require.NoError(t, err)
	arranged := collected.Arrange()
	var files []*entry.Entry
	for i := range arranged.Len() {
		files = append(files, arranged.At(i))
	}
	require.NoError(t, os.Remove(filepath.Join(root, "6")))
	progress := &source.Progress{}
	pool := digest.NewPool(live.Files{}, progress)
	a, err := checksum.Take(context.Background(), files, pool, entry.Algorithms[:2])
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 2}, a.Groups)
	assert.Equal(t, 6, a.Files)
	assert.Zero(t, a.Alone)
	assert.EqualValues(t, 4+5, pool.Read())
	require.Len(t, pool.Problems(), 1)
	assert.True(t, pool.Problems()[0].Vanished)
	require.Equal(t, 7*2, a.Len())
	var got []string
	for i := 0; i < a.Len(); i += 2 {
		row := a.At(i)
		got = append(got, row.Entry.Name+checksum.Mark(row.Alike))
		assert.Equal(t, "sha512", a.At(i+1).Algorithm.Name)
		assert.Len(t, row.Digest, map[bool]int{true: 64}[row.Entry.Name != "6"])
	}
	assert.Equal(t, "1a 2b 3c 4a 5c 6 7b", strings.Join(got, " "))

	a.Listed = func(e *entry.Entry) string { return "z" + string('9'-e.Name[0]+'0') }
	a.Sort()
	assert.Equal(t, "z2", a.At(0).Listed)
	assert.NotEmpty(t, a.At(0).Digest)
}
