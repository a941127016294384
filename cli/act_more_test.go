package cli_test

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Names change places, extensions become small or right, and undo gives all back.
func TestActRename(t *testing.T) {
	t.Parallel()
	root := tree(t, "A.JPG", "b.JPG", "c.jpg", "deep/X.Txt", "1", "2", "same 1", "same 2")
	require.NoError(t, os.WriteFile(filepath.Join(root, "picture.pdf"), []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR"), 0o644))
	a := newActor(t, root)
	before := a.names()
	r := a.run(0, "act", "rename", "@stem.@ext:lower", ".", "where", "kind", "is", "file", "--carry-out", "--yes")
	assert.Contains(t, r.out, "3 renamed")
	assert.Contains(t, r.out, "6 more have that name already")
	assert.Contains(t, a.names(), "deep/X.txt")
	a.do(0, "act undo")
	assert.Equal(t, before, a.names())
	assert.Contains(t, a.run(0, "act", "rename", "@stem.@type", ".", "where", "mislabelled").out, "picture.png")
	r = a.run(3, "act", "rename", "@folder", ".", "where", "name", "starts", "same", "--carry-out", "--yes")
	assert.Equal(t, 2, strings.Count(r.out, "another match would get the same name"))
	// Of 1, 2 and "same 1", in this order, the names go round by number.
	r = a.run(0, "act", "rename", "@n", ".", "where", "name", "is", "2", "or", "name", "is", "same 1", "or", "name", "is", "1", "--as", "json")
	assert.Contains(t, r.out, `"to":"`+filepath.Join(root, "3")+`"`)
	require.NoError(t, os.WriteFile(filepath.Join(root, "0"), []byte("zero"), 0o644))
	a.run(0, "act", "rename", "@n", ".", "where", "name", "is", "0", "or", "name", "is", "1", "or", "name", "is", "2", "--carry-out", "--yes")
	content, err := os.ReadFile(filepath.Join(root, "1"))
	require.NoError(t, err)
	assert.Equal(t, "zero", string(content))
	assert.Contains(t, a.do(0, "act undo --plan"), "back from")
	a.do(0, "act undo")
	require.NoError(t, os.Remove(filepath.Join(root, "0")))
	assert.Equal(t, before, a.names())
	for line, says := range map[string]string{
		"act rename":              "which pattern",
		"act rename x .":          "all would get the same name",
		"act rename @size .":      "@stem @ext @name",
		"act rename @n:x .":       "digits",
		"act rename @folder/@n .": "no slash",
	} {
		assert.Contains(t, a.run(2, strings.Fields(line)...).err, says, line)
	}
}

// A copy is made and taken away; owners are named; what would lose something is refused
// on request; and old journals go, but not one that was broken off.
func TestActCopyAndOwn(t *testing.T) {
	t.Parallel()
	root := tree(t, "from/a", "from/in/b")
	a := newActor(t, root)
	before := a.names()
	assert.Contains(t, a.do(0, "act copy from --into to/there --carry-out --yes"), "1 copied")
	assert.FileExists(t, filepath.Join(root, "to/there/from/in/b"))
	assert.Contains(t, a.do(0, "act undo --plan"), "the copy is removed")
	a.do(0, "act undo")
	assert.Equal(t, before, a.names())
	assert.Contains(t, a.run(0, "act", "copy", "from", "--into", "from/in").out, "cannot go into itself")
	assert.Contains(t, a.run(0, "act", "copy", "from/a", "--into", "from").out, "there already")
	assert.Contains(t, a.run(0, "act", "copy", "from/a", "--into", "from", "--number").out, "copy as a-2")
	for line, says := range map[string]string{
		"act own":                  "which owner",
		"act own nobody-at-all .":  "no owner",
		"act own root:no-group .":  "no group",
		"act own : .":              "OWNER, OWNER:GROUP or :GROUP",
		"act copy from":            "--into FOLDER is missing",
		"act own root:0 nowhere":   "no such file",
		"act undo --plan 99":       "no such journal",
		"config set journals soon": "a length of time",
	} {
		assert.Contains(t, a.run(2, strings.Fields(line)...).err, says, line)
	}
	if os.Geteuid() == 0 {
		assert.Contains(t, a.do(0, "act own 48230:48230 from/a --carry-out --yes"), "1 changed")
		assert.Contains(t, a.do(0, "list from where owner is 48230 --as paths"), "from/a")
		a.do(0, "act undo")
	}
	a.do(0, "config set journals 30days")
	journals := a.journals()
	require.NotEmpty(t, journals)
	old := time.Now().Add(-31 * 24 * time.Hour)
	for _, name := range journals {
		require.NoError(t, os.Chtimes(name, old, old))
	}
	content, err := os.ReadFile(journals[0])
	require.NoError(t, err)
	cut := strings.Index(string(content), `{"end"`)
	require.Positive(t, cut)
	require.NoError(t, os.WriteFile(journals[0], content[:cut], 0o600))
	require.NoError(t, os.Chtimes(journals[0], old, old))
	a.do(0, "act hide from/a --carry-out --yes")
	left := a.journals()
	assert.Len(t, left, 2, "the one that was broken off, and the new one")
	assert.Equal(t, journals[0], left[0])
}

// A depth means what is in a place, and not the place itself.
func TestActToADepth(t *testing.T) {
	t.Parallel()
	root := tree(t, "box/a", "box/.a", "box/in/b", "box/in/deep/c", "one")
	require.NoError(t, os.Symlink("box", filepath.Join(root, "link")))
	a := newActor(t, root)
	step := regexp.MustCompile(`"path":"` + regexp.QuoteMeta(root) + `/([^"]*)"(.*"refused")?`)
	for line, want := range map[string]string{
		"act permit 0640 box":                        "box",
		"act permit 0640 box -d 1":                   "box/.a box/a box/in",
		"act permit 0640 box one -d 2":               "box/.a box/a box/in box/in/b box/in/deep one",
		"act permit 0640 link/ -d 1":                 "box/.a box/a box/in",
		"act remove box/in -d all":                   "box/in/b box/in/deep",
		"act hide box -d 1":                          "box/a! box/in",
		"act run box/in -d 1 -- echo @path where":    "box/in/b box/in/deep",
		"act permit 0640 box -d all where name is b": "box/in/b",
	} {
		words := strings.Fields(line)
		words = slices.Insert(words, 2, "--as", "json")
		r := run(t, root, words...)
		var got []string
		for _, m := range step.FindAllStringSubmatch(r.out, -1) {
			if m[2] != "" {
				m[1] += "!"
			}
			got = append(got, m[1])
		}
		slices.Sort(got)
		assert.Equal(t, want, strings.Join(got, " "), "%s: %s", line, r.err)
	}
	assert.Contains(t, a.run(2, strings.Fields("act permit 0640 link -d 1")...).err, "link/")
	assert.Contains(t, a.run(2, strings.Fields("act rename x box -d 1")...).err, "all would get the same name")
}
