package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A copy made by other means is compared by what matters.
func TestCompareWhatMatters(t *testing.T) {
	t.Parallel()
	root := tree(t, "a/x/one", "a/x/deep/two", "a/three", "a/empty/")
	put := func(path, content string) {
		require.NoError(t, os.WriteFile(filepath.Join(root, path), []byte(content), 0o640))
	}
	require.NoError(t, os.CopyFS(filepath.Join(root, "b"), os.DirFS(filepath.Join(root, "a"))))
	old := time.Now().AddDate(-1, 0, 0)
	require.NoError(t, os.Chtimes(filepath.Join(root, "b/three"), old, old))
	require.NoError(t, os.Chmod(filepath.Join(root, "b/x/one"), 0o600))
	compare := func(options ...string) result {
		return run(t, root, append([]string{"compare", "a", "b"}, options...)...)
	}
	assert.Equal(t, 1, compare().status)
	assert.Equal(t, 1, compare("--ignore", "times").status)
	r := compare("--ignore", "times,permissions")
	assert.Zero(t, r.status)
	assert.Contains(t, r.out, "no difference that matters: 6 entries are the same")
	assert.Zero(t, compare("--ignore", "all").status)
	assert.Contains(t, compare("--ignore", "colour").err, `--ignore can be times, permissions, owner, attributes or all, or some of these with commas between them, not "colour"`)
	assert.Contains(t, compare("--copy", "--ignore", "times").err, "contradict")

	r = compare("--copy")
	assert.Zero(t, r.status)
	assert.Contains(t, r.out, "B is a complete copy of A: 6 entries are the same")
	require.NoError(t, os.Remove(filepath.Join(root, "b/empty")))
	put("b/more", "only there")
	r = compare("--copy")
	assert.Zero(t, r.status, "a folder without files is none")
	assert.Contains(t, r.out, "1 entry is only in B, which makes no difference")

	// What came or went with its folder is one line, unless it is asked for.
	require.NoError(t, os.RemoveAll(filepath.Join(root, "b/x")))
	require.NoError(t, os.CopyFS(filepath.Join(root, "b/new"), os.DirFS(filepath.Join(root, "a/x"))))
	put("b/new/deep/four", "123456")
	put("b/three", "other")
	r = compare("--copy")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "B is not a complete copy of A: ")
	rows := func(r result) (rows []string) {
		for _, line := range strings.Split(r.out, "\n") {
			if cells := strings.Fields(line); strings.HasPrefix(line, "  ") && len(cells) > 1 && cells[0] != "name" {
				rows = append(rows, cells[0]+" "+cells[1])
			}
		}
		return rows
	}
	put("b/new/one", "1 of others")
	put("b/new/deep/two", "2 of others")
	assert.Equal(t, []string{"x removed", "three altered"}, rows(compare("--copy")))
	assert.Equal(t, []string{"more added", "new added", "empty removed", "x removed", "three altered"}, rows(compare("--ignore", "all")))
	assert.Contains(t, compare().out, "folder, with 4 entries in it, ")
	assert.Equal(t, []string{"more added", "new added", "new/deep added", "new/one added", "empty removed", "x removed", "x/deep removed", "x/one removed", "three altered"}, rows(compare("--depth", "1")))
	assert.Contains(t, compare("--depth", "all").out, "  new/deep/four  added    file, 6 B\n")
	assert.Equal(t, 12, strings.Count(compare("--as", "csv").out, "\n")-1, "programs are told all")
}

// What a list says of some files is asked as people ask it.
func TestVerifySome(t *testing.T) {
	t.Parallel()
	root := tree(t, "d/one", "d/two", "d/three", "elsewhere/")
	require.Zero(t, run(t, root, "checksum", "d", "--as", "manifest", "--to", "d/sums").status)
	require.NoError(t, os.WriteFile(filepath.Join(root, "d/two"), []byte("changed"), 0o644))
	verify := func(words ...string) result { return run(t, root, append([]string{"verify"}, words...)...) }
	r := verify("d/sums", "d/one", "d/three")
	assert.Contains(t, r.out, "\n\n  same        one\n  same        three\n\n2 same · 2 files listed\n")
	assert.Equal(t, 1, verify("d/sums", "d/two").status)
	assert.Zero(t, verify("d/sums", "one").status, "by its name on the list")
	r = verify("d/sums", "d/one", "elsewhere")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "could not check elsewhere: it is not on the list")
	assert.NotContains(t, r.out, "could not be read", "it was not looked at")
	require.NoError(t, os.WriteFile(filepath.Join(root, "elsewhere/one"), []byte("other"), 0o644))
	r = verify("d/sums", "elsewhere/one")
	assert.Equal(t, 1, r.status, "a file that lies elsewhere, by its name: %s", r.out)
	assert.Contains(t, r.out, filepath.Join(root, "elsewhere/one"))

	for _, c := range []struct{ line, err string }{
		{"verify d/one", "frank verify: d/one is not a list of digests; to check a file, give a list that names it, or a digest\nfrank verify d/sums d/one\nfrank checksum d/one\n"},
		{"checksum -c d/sums", "frank checksum: there is no option -c\nfrank verify d/sums\n"},
		{"checksum --check=d/sums", "frank checksum: there is no option --check\nfrank verify d/sums\n"},
	} {
		r := run(t, root, strings.Fields(c.line)...)
		assert.Equal(t, c.err, r.err[strings.Index(r.err, "frank "):], c.line)
	}
	assert.Equal(t, 1, run(t, root, "checksum", "d/two", "--expect", "d/sums").status)
	assert.Zero(t, run(t, root, "checksum", "d/one", "--expect", "d/sums").status)

	require.NoError(t, os.Rename(filepath.Join(root, "d/sums"), filepath.Join(root, "elsewhere/sums")))
	require.NoError(t, os.Remove(filepath.Join(root, "elsewhere/one")))
	r = verify("elsewhere/sums")
	assert.Contains(t, r.out, "none of the files is in the folder of the list; 3 of 3 names tried are in d: frank verify elsewhere/sums --in d")
}
