package ledger_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frankledger/core/ledger/replay"
	"frankledger/core/live"
	"frankledger/core/source/sourcetest"
)

// Folders, records and lists mean the same by a request.
func TestSourcesConform(t *testing.T) {
	root := sourcetest.Tree(t)
	folder, err := live.Open(root, 0)
	require.NoError(t, err)
	t.Run("folder", func(t *testing.T) { sourcetest.Test(t, folder, root) })

	l, err := createNamed(t.Context(), filepath.Join(t.TempDir(), "ledger"))
	require.NoError(t, err)
	defer l.Close()
	r := record(t, l, "l", root)
	s, err := replay.SourceOf(t.Context(), l, r, "", "@l", 0)
	require.NoError(t, err)
	t.Run("record", func(t *testing.T) { sourcetest.Test(t, s, root) })
	require.NoError(t, os.Chmod(filepath.Join(root, "a/b/e"), 0o600))
	r = record(t, l, "l", root) // of two pieces
	s, err = replay.SourceOf(t.Context(), l, r, "a", "@l/a", 0)
	require.NoError(t, err)
	t.Run("folder in a record", func(t *testing.T) { sourcetest.Test(t, s, filepath.Join(root, "a")) })

	entries, err := os.ReadDir(root)
	require.NoError(t, err)
	var paths []string
	for _, e := range entries {
		paths = append(paths, filepath.Join(root, e.Name()))
	}
	file := filepath.Join(t.TempDir(), "list")
	require.NoError(t, os.WriteFile(file, []byte(strings.Join(paths, "\n")), 0o644))
	list, err := live.OpenList(file, "@@list", 0)
	require.NoError(t, err)
	t.Run("list", func(t *testing.T) { sourcetest.Test(t, list, root) })
}
