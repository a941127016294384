package duplicates_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// grown makes a tree of files, with content after a colon, and links, with a target after an arrow.
func grown(t *testing.T, names ...string) string {
	root := t.TempDir()
	for _, one := range names {
		name, content, _ := strings.Cut(one, ":")
		name, target, link := strings.Cut(name, ">")
		path := filepath.Join(root, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		if link {
			require.NoError(t, os.Symlink(target, path))
			continue
		}
		require.NoError(t, os.WriteFile(path, []byte(content), 0o644))
	}
	return root
}

// Folders are copies if they have the same names and contents; a folder that has all of another, and more,
// has it as a part. What is in a folder that is a copy is no set of its own.
func TestFolders(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name    string
		tree    []string
		folders duplicates.Folders
		want    []string // a set each: its kind, what it is, what stays, and the others
	}{
		{"two that are the same", []string{"a/x:one", "a/in/y:two", "b/x:one", "b/in/y:two"}, duplicates.WithFolders, []string{"folder a = b"}},
		{"and a file elsewhere", []string{"a/x:one", "b/x:one", "c:one"}, duplicates.WithFolders, []string{"folder a = b", "file a/x = c"}},
		{"other names", []string{"a/x:one", "b/z:one"}, duplicates.WithFolders, []string{"file a/x = b/z"}},
		{"other content", []string{"a/x:one", "a/y:two", "b/x:one", "b/y:2wo"}, duplicates.WithFolders, []string{"file a/x = b/x"}},
		{"one within the other", []string{"a/x:one", "a/y:two", "b/x:one", "b/y:two", "b/z:more"}, duplicates.WithFolders, []string{"folder b > a"}},
		{"only the inner ones", []string{"a/in/x:one", "a/p:1", "b/in/x:one", "b/q:2"}, duplicates.WithFolders, []string{"folder a/in = b/in"}},
		{"links that say the same", []string{"a/x:one", "a/l>x", "b/x:one", "b/l>x"}, duplicates.WithFolders, []string{"folder a = b"}},
		{"links that say something else", []string{"a/x:one", "a/l>x", "b/x:one", "b/l>y"}, duplicates.WithFolders, []string{"file a/x = b/x"}},
		{"three", []string{"a/x:one", "b/x:one", "c/x:one"}, duplicates.WithFolders, []string{"folder a = b = c"}},
		{"folders alone", []string{"a/x:one", "b/x:one", "c:two", "d:two"}, duplicates.OnlyFolders, []string{"folder a = b"}},
		{"files alone", []string{"a/x:one", "b/x:one", "c:two", "d:two"}, duplicates.NoFolders, []string{"file a/x = b/x", "file c = d"}},
		{"empty folders are no copies", []string{"a/x:", "b/x:"}, duplicates.WithFolders, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			root := grown(t, c.tree...)
			s, err := live.Open(root, 0)
			require.NoError(t, err)
			a, err := duplicates.Run(t.Context(), &source.Set{Sources: []source.Source{s}}, source.Request{Depth: source.AllDepths}, digest.NewPool(live.Files{}, &source.Progress{}),
				duplicates.Options{Algorithm: entry.Algorithms[0], Folders: c.folders})
			require.NoError(t, err)
			require.Empty(t, a.Report.Problems)
			var got []string
			for _, set := range a.Sets {
				var names []string
				for _, copied := range set.Copies {
					names = append(names, copied.Entry.Relative())
				}
				sign := " = "
				if set.Part {
					sign = " > "
				} else {
					slices.Sort(names)
				}
				got = append(got, fmt.Sprint(set.Kind, " ", strings.Join(names, sign)))
			}
			assert.ElementsMatch(t, c.want, got)
		})
	}
}
