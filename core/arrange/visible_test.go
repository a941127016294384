package arrange_test

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// What is visible of all there is, is what would have been read on its own.
func TestVisibleIsWhatARequestWouldGive(t *testing.T) {
	root := t.TempDir()
	for _, path := range []string{"a/b/.c/d", ".h/i", "j", "a/.k", "l/m/n/o"} {
		require.NoError(t, os.MkdirAll(filepath.Join(root, path), 0o755))
	}
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	read := func(request source.Request, wrap func(source.Sink) source.Sink) (paths []string, report source.Report) {
		order, err := arrange.ParseOrder("path")
		require.NoError(t, err)
		c := arrange.NewCollector(order, &entry.Context{}, 0)
		report, err = s.Read(context.Background(), request, wrap(c))
		require.NoError(t, err)
		a := c.Arrange()
		for i := range a.Len() {
			paths = append(paths, a.At(i).Path())
		}
		slices.Sort(paths)
		return paths, report
	}
	for _, depth := range []int{1, 2, 3, source.AllDepths} {
		for _, hidden := range []source.Hidden{source.ShowHidden, source.OmitHidden, source.OnlyHidden} {
			want, report := read(source.Request{Depth: depth, Hidden: hidden}, func(s source.Sink) source.Sink { return s })
			var v *arrange.Visible
			got, _ := read(source.Request{Depth: source.AllDepths}, func(s source.Sink) source.Sink {
				v = arrange.NewVisible(s, source.Request{Depth: depth, Hidden: hidden})
				return v
			})
			assert.Equal(t, want, got, "%d %d", depth, hidden)
			assert.Equal(t, report.Hidden, v.Hidden(), "%d %d", depth, hidden)
		}
	}
}

// The collector keeps what was amended, also where only the first are wanted.
func TestAmendBeforeOrdering(t *testing.T) {
	list := entries(2000)
	order, err := arrange.ParseOrder("size")
	require.NoError(t, err)
	c := arrange.NewCollector(order, &entry.Context{}, 3)
	c.Amend(func(e *entry.Entry) {
		e.Known, e.Summed, e.Size = entry.FactStatus, true, 10
		if e.Name == "n1234" {
			e.Size = 99
		}
	})
	require.NoError(t, c.Visitor()(list))
	a := c.Arrange()
	require.Equal(t, 3, a.Len())
	assert.Equal(t, "n1234", a.At(0).Name)
}
