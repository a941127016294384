package tree_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/volume"
)

// A survey tells the first thing that the file system there cannot hold.
func TestSurveyTellsWhatDoesNotFit(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(root, "in/deep"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "in/deep/12:30.txt"), nil, 0o644))
	at, err := unix.Open(root, unix.O_RDONLY|unix.O_DIRECTORY, 0)
	require.NoError(t, err)
	defer unix.Close(at)
	for system, want := range map[string][2]string{"fat32": {"deep/12:30.txt", "its name has :"}, "": {}} {
		v, err := (&tree.Surveyor{Calls: &sys.Calls{}, Mine: func(*sys.Status) bool { return true }, To: &tree.Target{Flags: true, Volume: volume.Volume{System: system}}}).Survey(context.Background(), at, "in")
		require.NoError(t, err)
		assert.Equal(t, want, [2]string{v.UnfitAt, v.Unfit}, system)
	}
}
