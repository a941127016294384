package cli_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is created is undone as long as it is empty, and nothing that is there is touched.
func TestActCreate(t *testing.T) {
	t.Parallel()
	a := newActor(t, tree(t, "there"))
	r := a.run(0, "act", "create", "new/", "new/a", "there", "nowhere/b", "new/a")
	assert.NotContains(t, r.out, "1970")
	for _, says := range []string{"create an empty folder", "refused: that name is taken already", "refused: its folder does not exist", "refused: another match would get the same name", "2 steps: 1 file, 1 folder"} {
		assert.Contains(t, r.out, says)
	}
	before := a.names()
	assert.Contains(t, a.do(0, "act create new/ new/a c --carry-out --yes"), "3 created (journal 1)")
	info, err := os.Stat(filepath.Join(a.root, "c"))
	require.NoError(t, err)
	assert.Equal(t, []any{int64(0), os.FileMode(0o644)}, []any{info.Size(), info.Mode()})
	require.NoError(t, os.WriteFile(filepath.Join(a.root, "new/a"), []byte("filled"), 0o644))
	r = a.run(3, "act", "undo")
	assert.Contains(t, r.err, "new/a: it has changed since")
	assert.NoFileExists(t, filepath.Join(a.root, "c"))
	assert.FileExists(t, filepath.Join(a.root, "new/a"), "it is not empty, and stays")
	require.NoError(t, os.RemoveAll(filepath.Join(a.root, "new")))
	assert.Equal(t, before, a.names())
	a.do(0, "act create x --to plan.json")
	a.do(0, "act carry-out plan.json --yes")
	assert.FileExists(t, filepath.Join(a.root, "x"))
	a.do(0, "act undo")
	assert.NoFileExists(t, filepath.Join(a.root, "x"))
}
