//go:build !portable

package live_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/source"
)

func TestLeavesAccessTimesAlone(t *testing.T) {
	root := t.TempDir()
	file := filepath.Join(root, "folder", "file.txt")
	require.NoError(t, os.Mkdir(filepath.Dir(file), 0o755))
	require.NoError(t, os.WriteFile(file, []byte("text"), 0o644))
	long := time.Now().Add(-72 * time.Hour)
	for _, path := range []string{file, filepath.Dir(file), root} {
		require.NoError(t, os.Chtimes(path, long, long))
	}
	read(t, root, source.Request{Facts: allFacts, Depth: source.AllDepths})
	g, _ := read(t, root, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths, Self: true})
	require.Len(t, g.entries, 3)
	for path, e := range g.entries {
		assert.Equal(t, long.Unix(), e.Accessed.Sec, path)
	}
}
