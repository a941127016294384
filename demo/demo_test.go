package demo_test

import (
	"crypto/sha256"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/demo"
)

// Two trees of the same moment are the same, name by name, in kind, size, time,
// permissions and content.
func TestSameMomentSameTree(t *testing.T) {
	asOf := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	var trees [2]map[string]string
	for i := range trees {
		root := filepath.Join(t.TempDir(), "tern-point")
		require.NoError(t, os.Mkdir(root, 0o755))
		skipped, err := demo.Build(root, asOf)
		require.NoError(t, err)
		if os.Geteuid() == 0 {
			assert.Empty(t, skipped)
		}
		t.Cleanup(func() { os.Chmod(filepath.Join(root, "sealed"), 0o755) })
		trees[i] = map[string]string{}
		disk := int64(0)
		require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, _ error) error {
			info, err := os.Lstat(path)
			require.NoError(t, err)
			content := []byte{}
			if info.Mode().IsRegular() && info.Size() < 1<<20 {
				content, _ = os.ReadFile(path)
			}
			disk += info.Sys().(*syscall.Stat_t).Blocks * 512
			size := info.Size()
			if info.IsDir() {
				size = 0
			}
			rel, _ := filepath.Rel(root, path)
			trees[i][rel] = fmt.Sprintf("%v %d %v %x", info.Mode(), size, info.ModTime().UTC(), sha256.Sum256(content))
			assert.False(t, info.ModTime().After(asOf), path)
			return nil
		}))
		assert.Less(t, disk, int64(6<<20), "small on disk")
	}
	assert.Greater(t, len(trees[0]), 300)
	assert.Equal(t, trees[0], trees[1])
}
