package outline_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/outline"
	"frankledger/core/source"
)

// rels lists what an outline shows, further in at each level.
func rels(n *outline.Node, in string) (list []string) {
	for below := range n.Below() {
		list = append(list, in+below.Entry.Name)
		list = append(list, rels(below, in+" ")...)
	}
	return list
}

func TestOutline(t *testing.T) {
	root := t.TempDir()
	for path, size := range map[string]int64{"b/x": 30, "b/deep/er/y": 5, "a": 20, ".h/z": 100} {
		full := filepath.Join(root, path)
		require.NoError(t, os.MkdirAll(filepath.Dir(full), 0o755))
		require.NoError(t, os.WriteFile(full, make([]byte, size), 0o644))
	}
	require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "b/again")))
	build := func(plan outline.Plan, words string) *outline.Node {
		s, err := live.Open(root, 0)
		require.NoError(t, err)
		plan.Order, err = arrange.ParseOrder(words)
		require.NoError(t, err)
		plan.Context = &entry.Context{}
		b := outline.NewBuilder(plan)
		_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, b)
		require.NoError(t, err)
		nodes, err := b.Outline([]*entry.Place{s.Place()}, nil)
		require.NoError(t, err)
		require.Len(t, nodes, 1)
		assert.EqualValues(t, 155, nodes[0].Sum.Size, "all of it is summed up, shown or not")
		return nodes[0]
	}
	assert.Equal(t, []string{".h", " z", "a", "b", " again", " deep", " x"}, rels(build(outline.Plan{Depth: 2}, ""), ""))
	assert.Equal(t, []string{".h", " z", "b", " x", " again", " deep", "a"}, rels(build(outline.Plan{Depth: 2}, "size"), ""))
	assert.Equal(t, []string{".h", "b", " deep", "  er"}, rels(build(outline.Plan{Depth: source.AllDepths, FoldersOnly: true}, ""), ""))
	assert.Equal(t, []string{"a", "b"}, rels(build(outline.Plan{Depth: 1, Hidden: source.OmitHidden}, ""), ""))
	first := build(outline.Plan{Depth: 2, First: 1}, "size/reverse")
	assert.Equal(t, []string{"a"}, rels(first, ""))
	left, rest := first.Rest()
	assert.Equal(t, 2, left)
	assert.EqualValues(t, 135, rest.Size)
}
