package loop

import (
	"os"
	"path/filepath"
	"runtime"
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

// A loop that missed something would be no limit.
func TestLoopsSeeEverything(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	_, err := gen.Make("tree", root, 3000)
	require.NoError(t, err)
	_, err = entries(filepath.Join(root, "none"), false)
	require.ErrorIs(t, err, os.ErrNotExist)
	for _, facts := range []bool{false, true} {
		n, err := entries(root, facts)
		require.NoError(t, err)
		assert.Equal(t, 3000, n)
		if runtime.GOOS != "linux" {
			continue
		}
		n, err = entriesBy(3, root, facts)
		require.NoError(t, err)
		assert.Equal(t, 3000, n)
	}
}

func TestRenameAndReveal(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(root, "hides"), 0o755))
	file := filepath.Join(root, "hides", "name")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	require.NoError(t, Run("rename", root))
	assert.FileExists(t, filepath.Join(root, "hides", ".name"))
	require.NoError(t, Run("reveal", root))
	assert.FileExists(t, file)
}
