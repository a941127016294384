package live_test

import (
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/digest"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// sortedEntries returns what is in a place, in order of paths.
func sortedEntries(t *testing.T, place string) (list []*entry.Entry) {
	g, _ := read(t, place, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths})
	for _, path := range g.paths() {
		e := g.entries[path]
		list = append(list, &e)
	}
	return list
}

// Files are opened wherever they lie, also further down than a path may be long,
// in whatever order, in several places.
func TestOpenAnywhere(t *testing.T) {
	deep := t.TempDir()
	at, err := os.OpenRoot(deep)
	require.NoError(t, err)
	name := strings.Repeat("n", 200)
	for range 30 { // 6000 bytes
		require.NoError(t, at.WriteFile("file", []byte("deep"), 0o644))
		require.NoError(t, at.Mkdir(name, 0o755))
		below, err := at.OpenRoot(name)
		require.NoError(t, err)
		at.Close()
		at = below
	}
	defer at.Close()
	flat := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(flat, "file"), []byte("flat"), 0o644))
	opener := live.Files{}.Opener()
	defer opener.Close()
	here, there := sortedEntries(t, deep), sortedEntries(t, flat)
	opened := 0
	for i := len(here) - 1; i >= 0; i-- {
		for e, want := range map[*entry.Entry]string{here[i]: "deep", there[0]: "flat"} {
			if e.Kind != entry.KindFile {
				_, err := opener.Open(e)
				assert.ErrorIs(t, err, digest.NoFile{Kind: entry.KindFolder})
				continue
			}
			file, err := opener.Open(e)
			require.NoError(t, err)
			content, err := io.ReadAll(file)
			require.NoError(t, err)
			assert.Equal(t, want, string(content))
			require.NoError(t, file.Unchanged(int64(len(content))))
			assert.ErrorIs(t, file.Unchanged(1), digest.ErrChanged)
			file.Close()
			opened++
		}
	}
	assert.Equal(t, 30+len(here), opened)

	// By a name that is a relative path, as lists have them.
	long := &entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: deep}}, Name: strings.Repeat(name+"/", 29) + "file"}
	require.NoError(t, opener.Look(long))
	assert.EqualValues(t, 4, long.Size)
	file, err := opener.Open(long)
	require.NoError(t, err)
	file.Close()
}

// What is no longer what it was is not read, and a link in its place not
// followed.
func TestOpenOnlyWhatWasSeen(t *testing.T) {
	root := t.TempDir()
	path := func(name string) string { return filepath.Join(root, name) }
	for _, name := range []string{"a-same", "b-longer", "c-touched", "d-link", "e-pipe", "f-other"} {
		require.NoError(t, os.WriteFile(path(name), []byte(name), 0o644))
	}
	entries := sortedEntries(t, root)
	require.NoError(t, os.Truncate(path("b-longer"), 100))
	require.NoError(t, os.Chtimes(path("c-touched"), time.Now(), time.Now().Add(time.Hour)))
	for _, name := range []string{"d-link", "e-pipe"} {
		require.NoError(t, os.Remove(path(name)))
	}
	require.NoError(t, os.Symlink("a-same", path("d-link")))
	require.NoError(t, unix.Mkfifo(path("e-pipe"), 0o644))
	require.NoError(t, os.WriteFile(path("new"), []byte("f-other"), 0o644))
	require.NoError(t, os.Chtimes(path("new"), time.Now(), time.Unix(entries[5].Modified.Sec, int64(entries[5].Modified.Nsec))))
	require.NoError(t, os.Rename(path("new"), path("f-other")))
	opener := live.Files{}.Opener()
	defer opener.Close()
	for i, says := range []string{"", "it changed", "it changed", "too many levels", "moved or replaced", "moved or replaced"} {
		file, err := opener.Open(entries[i])
		if says == "" {
			require.NoError(t, err)
			file.Close()
			continue
		}
		assert.ErrorContains(t, err, says, entries[i].Name)
	}
	link := &entry.Entry{Folder: entries[0].Folder, Name: "d-link"}
	following := live.Files{Follow: true}.Opener()
	defer following.Close()
	require.NoError(t, following.Look(link))
	file, err := following.Open(link)
	require.NoError(t, err, "where links are to be followed")
	file.Close()
}
