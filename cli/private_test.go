package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What the program writes down for itself is its owner's alone, whatever the mask of
// the process; that others can read it is told once.
func TestWhatIsWrittenDownIsPrivate(t *testing.T) {
	a := newActor(t, tree(t, "a", "b"))
	old := syscall.Umask(0)
	a.do(0, "record . --label l")
	a.do(0, "search . --remember mine where name is a")
	a.do(0, "act hide a --carry-out --yes")
	syscall.Umask(old)
	checked := 0
	require.NoError(t, filepath.Walk(a.home, func(path string, info os.FileInfo, err error) error {
		require.NoError(t, err)
		if path != a.home && info.Mode()&os.ModeSymlink == 0 {
			assert.Zero(t, info.Mode().Perm()&0o077, path)
			checked++
		}
		return nil
	}))
	assert.Greater(t, checked, 6)
	ledger := filepath.Join(a.home, ".local/share/frank-ledger/ledger.sqlite")
	require.NoError(t, os.Chmod(ledger, 0o644))
	assert.Contains(t, a.run(0, "list", "@l").err, "others can read the ledger")
	assert.Empty(t, a.run(0, "list", "@l").err)
}

// Where nothing says where a person's files are, it is said what to set, and nothing
// is written anywhere else.
func TestWithoutHome(t *testing.T) {
	root := tree(t, "a")
	for _, home := range []string{"", "HOME=", "HOME=.", "HOME=relative/path"} {
		run := func(line string) result {
			cmd := command(t, root, strings.Fields(line)...)
			var env []string
			for _, one := range cmd.Env {
				if !strings.HasPrefix(one, "HOME=") && !strings.HasPrefix(one, "XDG_") && !strings.HasPrefix(one, "FRANK_") {
					env = append(env, one)
				}
			}
			if cmd.Env = env; home != "" {
				cmd.Env = append(env, home)
			}
			return finish(t, cmd)
		}
		assert.Zero(t, run("list .").status, "what needs no such place works")
		for _, line := range []string{"record . --label l", "list @l", "ledger", "act hide a --carry-out --yes", "act undo", "act journal", "search . --remember x where name is a", "recall", "recall x"} {
			r := run(line)
			assert.Equal(t, 2, r.status, line)
			assert.Contains(t, r.err, "HOME is not set to an absolute path", line)
			assert.Contains(t, r.err, "set HOME or XDG_", line)
		}
		assert.Zero(t, run("record . --label l --ledger ../ledger").status)
		left, err := os.ReadDir(root)
		require.NoError(t, err)
		assert.Len(t, left, 1)
		assert.NoDirExists(t, "/.local/share/frank-ledger")
		require.NoError(t, os.Remove(filepath.Join(root, "../ledger")))
	}
}
