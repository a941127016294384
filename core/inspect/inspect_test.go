package inspect_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/inspect"
	"frankledger/core/live"
	"frankledger/core/source"
)

func card(t *testing.T, path string, o inspect.Options) *inspect.Card {
	s, err := live.Open(path, 0)
	require.NoError(t, err)
	var found []entry.Entry
	_, err = s.Read(context.Background(), source.Request{Facts: inspect.Facts}, source.SinkFunc(func() source.Visitor {
		return func(entries []entry.Entry) error {
			for _, e := range entries {
				e.More = e.More.Clone()
				found = append(found, e)
			}
			return nil
		}
	}))
	require.NoError(t, err)
	require.Len(t, found, 1)
	c, _, err := inspect.Look(context.Background(), s, &found[0], o)
	require.NoError(t, err)
	return c
}

func TestChains(t *testing.T) {
	root := t.TempDir()
	in := func(name string) string { return filepath.Join(root, name) }
	link := func(name, target string) { require.NoError(t, os.Symlink(target, in(name))) }
	require.NoError(t, os.Mkdir(in("folder"), 0o755))
	require.NoError(t, os.WriteFile(in("folder/file"), nil, 0o644))
	link("a", "b")
	link("b", "folder/c")
	link("folder/c", in("folder/file"))
	link("lost", "a/b/c")
	link("self", "self")
	link("x", "y")
	link("y", "z")
	link("z", "y")
	for name, want := range map[string]struct {
		chain []string
		end   inspect.End
	}{
		"a":    {[]string{in("b"), in("folder/c"), in("folder/file")}, inspect.Somewhere},
		"lost": {[]string{in("a/b/c")}, inspect.Nowhere},
		"self": {[]string{in("self")}, inspect.Round},
		"x":    {[]string{in("y"), in("z"), in("y")}, inspect.Round},
	} {
		c := card(t, in(name), inspect.Options{})
		assert.Equal(t, want.chain, c.Chain, name)
		assert.Equal(t, want.end, c.End, name)
	}
	for i := range 45 { // more than the system follows
		link(fmt.Sprint("long", i), fmt.Sprint("long", i+1))
	}
	assert.Equal(t, inspect.Round, card(t, in("long0"), inspect.Options{}).End)
}

func TestPreview(t *testing.T) {
	root := t.TempDir()
	for name, c := range map[string]struct {
		content string
		want    []string
		why     string
	}{
		"lines.txt": {"one\r\ntwo\x1b[2J\nthree\nfour", []string{"one", "two\x1b[2J", "three"}, ""},
		"short.txt": {"only", []string{"only"}, ""},
		"empty.txt": {"", nil, "it is empty"},
		"wave.wav":  {"RIFF\x24\x00\x00\x00WAVEfmt \x10\x00\x00\x00", nil, "it is not text"},
		"json.json": {"{\"a\":\n1}", []string{"{\"a\":", "1}"}, ""},
		"nul.txt":   {strings.Repeat("text ", 900) + "\x00", nil, "it is not text"},
		"long.txt":  {strings.Repeat("x", 1<<20), []string{strings.Repeat("x", 64<<10)}, ""},
	} {
		path := filepath.Join(root, name)
		require.NoError(t, os.WriteFile(path, []byte(c.content), 0o644))
		got := card(t, path, inspect.Options{Preview: 3})
		assert.Equal(t, c.want, got.Preview, name)
		assert.Equal(t, c.why, got.NoPreview, name)
	}
	assert.Equal(t, "it is not a file", card(t, root, inspect.Options{Preview: 3}).NoPreview)
}

func TestSiblings(t *testing.T) {
	root := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(root, "in"), 0o755))
	for _, name := range []string{"one", "other"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), nil, 0o644))
	}
	for _, name := range []string{"two", "in/three"} {
		require.NoError(t, os.Link(filepath.Join(root, "one"), filepath.Join(root, name)))
	}
	assert.Equal(t, []string{root + "/in/three", root + "/two"}, card(t, root+"/one", inspect.Options{Siblings: root}).Siblings)
	assert.Equal(t, []string{root + "/in/three"}, card(t, root+"/one", inspect.Options{Siblings: root + "/in"}).Siblings)
	assert.Nil(t, card(t, root+"/other", inspect.Options{Siblings: root}).Looked, "a single name is not looked for")
	assert.EqualValues(t, 3, card(t, root+"/in/three", inspect.Options{}).Entry.Links)
	assert.EqualValues(t, 1, card(t, root+"/in", inspect.Options{}).Holds.Files)
}
