package output_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/output"
)

func names(t *testing.T, folder string) []string {
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	var names []string
	for _, e := range entries {
		names = append(names, e.Name())
	}
	return names
}

func TestFileIsWholeOrNotThere(t *testing.T) {
	folder := t.TempDir()
	path := filepath.Join(folder, "answer.csv")
	write := func(text string, replace, whole bool) error {
		d, err := output.ToFile(path, replace)
		if err != nil {
			return err
		}
		_, err = d.Write([]byte(text))
		require.NoError(t, err)
		assert.LessOrEqual(t, len(names(t, folder)), 1, "nothing shows before it is whole")
		return d.Close(whole)
	}
	require.NoError(t, write("half", false, false))
	assert.Empty(t, names(t, folder))
	require.NoError(t, write("first", false, true))
	assert.ErrorIs(t, write("second", false, true), output.ErrExists)
	require.NoError(t, os.Chmod(path, 0o640))
	require.NoError(t, write("third", true, true))
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "third", string(content))
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode(), "the permissions of the file replaced")
	assert.Equal(t, []string{"answer.csv"}, names(t, folder))
}

// A file that appears while the answer is being made is kept.
func TestFileThatAppearsMeanwhile(t *testing.T) {
	path := filepath.Join(t.TempDir(), "answer")
	d, err := output.ToFile(path, false)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, []byte("theirs"), 0o644))
	assert.ErrorIs(t, d.Close(true), output.ErrExists)
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "theirs", string(content))
}

func TestFileCannotBe(t *testing.T) {
	folder := t.TempDir()
	_, err := output.ToFile(folder, true)
	assert.ErrorContains(t, err, "is a folder")
	_, err = output.ToFile(filepath.Join(folder, "no", "such"), false)
	assert.EqualError(t, err, "write "+folder+"/no/such: no such file or directory")
	d, err := output.ToFile("/dev/full", false)
	require.NoError(t, err)
	_, err = d.Write([]byte("x"))
	assert.ErrorContains(t, err, "no space left")
}
