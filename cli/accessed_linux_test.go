package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// Reading content leaves alone when a file was last read, and where only its owner may
// ask for that, it is said once of how many that is not so.
func TestAccessTimesStay(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs files of another owner")
	}
	root, home := tree(t, "a", "in/b", "in/mine"), t.TempDir()
	for dir := root; len(dir) > len(os.TempDir()); dir = filepath.Dir(dir) {
		require.NoError(t, os.Chmod(dir, 0o755))
	}
	require.NoError(t, os.Chmod(filepath.Dir(home), 0o755))
	require.NoError(t, os.Chown(home, 48230, 48230))
	old := time.Now().Add(-1000 * time.Hour)
	files := []string{"a", "in/b", "in/mine"}
	age := func() {
		for _, name := range files {
			path := filepath.Join(root, name)
			require.NoError(t, os.WriteFile(path, []byte("the same"), 0o644))
			require.NoError(t, os.Chtimes(path, old, old))
		}
		require.NoError(t, os.Chown(filepath.Join(root, "in/mine"), 48230, 48230))
	}
	kept := func() (n int64) {
		for _, name := range files {
			var st unix.Stat_t
			require.NoError(t, unix.Stat(filepath.Join(root, name), &st))
			if st.Atim.Sec == old.Unix() {
				n++
			}
		}
		return n
	}
	age()
	if _, err := os.ReadFile(filepath.Join(root, "a")); err != nil || kept() == 3 {
		t.Skip("this file system does not note when a file is read")
	}
	for _, line := range []string{"checksum .", "duplicates .", "list . --depth all --columns name,type", "verify sums", "inspect a in/b in/mine"} {
		words := strings.Fields(line)
		if line == "verify sums" {
			require.NoError(t, os.WriteFile(filepath.Join(root, "sums"), []byte(finish(t, command(t, root, "checksum", ".", "--as", "manifest")).out), 0o600))
			require.NoError(t, os.Chown(filepath.Join(root, "sums"), 48230, 48230))
		}
		age()
		r := finish(t, command(t, root, words...))
		assert.EqualValues(t, 3, kept(), line)
		assert.NotContains(t, r.err, "accessed", line)
		stranger := func(more ...string) result {
			age()
			cmd := command(t, root, append(words, more...)...)
			cmd.Env = append(cmd.Env, "HOME="+home)
			r := finish(t, stranger(cmd))
			assert.EqualValues(t, 1, kept(), line)
			assert.Zero(t, r.status, r.err)
			return r
		}
		assert.Equal(t, "frank: reading changed the access times of 2 files; only their owners could have prevented that\n", stranger().err, line)
		if words[0] != "inspect" {
			assert.Empty(t, stranger("--quiet").err, line)
		}
	}
}
