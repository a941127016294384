package cli_test

import (
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// inAll adds up the files below some folders, each once, by what the kernel says.
func inAll(t *testing.T, folders ...string) (size float64) {
	met := map[uint64]bool{}
	for _, folder := range folders {
		require.NoError(t, filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
			var st unix.Stat_t
			if err == nil {
				err = unix.Lstat(path, &st)
			}
			if err == nil && e.Type().IsRegular() && !met[st.Ino] {
				met[st.Ino] = true
				size += float64(st.Size)
			}
			return err
		}))
	}
	return size
}

// A condition chooses which folders are shown, and never what is in them: there now, in a record,
// and in an outline. What is in all that is shown is counted once, though folders lie in one another
// and files have names in several.
func TestTotalsOfWhatIsChosen(t *testing.T) {
	root := tree(t, "a/parts/x", "a/parts/deep/parts/y", "b/parts/z", "c/other", ".hid/parts/w")
	require.NoError(t, os.Link(filepath.Join(root, "a/parts/x"), filepath.Join(root, "b/parts/x")))
	require.NoError(t, os.Link(filepath.Join(root, "a/parts/x"), filepath.Join(root, "a/first")))
	require.NoError(t, os.Truncate(filepath.Join(root, "a/parts/x"), 5000))
	home := t.TempDir()
	run := func(line ...string) result {
		cmd := command(t, root, line...)
		cmd.Env = append(cmd.Env, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	require.Zero(t, run("record", ".", "--label", "all").status)
	for _, place := range []string{".", "@all"} {
		for _, one := range []struct {
			where string
			shown []string
		}{
			{"name is parts", []string{"a/parts", "a/parts/deep/parts", "b/parts"}},
			{"path ends b/parts", []string{"b/parts"}},
			{"name is deep or name is first", []string{"a/first", "a/parts/deep"}},
			{"name is none", nil},
		} {
			r := run("list", place, "--depth", "all", "--totals", "--hidden", "omit", "--as", "json", "where", one.where)
			require.Zero(t, r.status, r.err)
			var answer struct {
				Entries []struct{ Path string }
				Summary struct {
					Size   float64 `json:"total_size"`
					Tested float64 `json:"looked_at"`
				}
			}
			require.NoError(t, json.Unmarshal([]byte(r.out), &answer))
			var shown, full []string
			for _, e := range answer.Entries {
				shown = append(shown, strings.TrimPrefix(e.Path, place+"/"))
				full = append(full, filepath.Join(root, strings.TrimPrefix(e.Path, place)))
			}
			assert.ElementsMatch(t, one.shown, shown, one.where)
			assert.Equal(t, inAll(t, full...), answer.Summary.Size, one.where)
			assert.Equal(t, 13.0, answer.Summary.Tested, "what is hidden is not asked about")
		}
		r := run("list", place, "--totals", "where", "name", "is", "b")
		assert.Regexp(t, `\n  b +folder .* = 4\.9 KiB\n`, r.out)
		assert.Contains(t, r.out, "\nsizes of folders include everything in them (weigh adds up only matches)\n")
		r = run("outline", place, "--depth", "all", "where", "name", "is", "z")
		assert.Regexp(t, `\n  b +9 B +2 files\n     parts +9 B +2 files\n        z +9 B\n\n`, r.out, "all that is in them, but what is counted above")
	}
}

// What is named is shown, also if it is hidden, and what is in it is added up.
func TestTotalsOfWhatIsNamed(t *testing.T) {
	root := tree(t, ".veil/in/a", "b")
	require.NoError(t, os.WriteFile(filepath.Join(root, ".veil/in/a"), []byte("12345"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(root, "kept"), []byte(".veil\nb\n.veil/in\n.veil\n"), 0o644))
	r := run(t, root, "list", ".veil", "--self", "--totals", "--as", "csv", "--columns", "path,size")
	assert.Equal(t, "path,size\r\n.veil,5\r\n", r.out)
	r = run(t, root, "list", "@@kept", "--totals", "--as", "csv", "--columns", "path,size", "--order", "path")
	assert.Equal(t, "path,size\r\n.veil,5\r\n.veil/in,5\r\nb,1\r\n", r.out)
}
