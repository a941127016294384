package cli_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/internal/long"
)

// set is a set of duplicates in JSON.
type set struct {
	Kind              string
	Size, Reclaimable int64
	Beside            *int64
	Digest, Algorithm string
	Copies            []struct {
		Path          string
		Inode, Device uint64
		Stays         bool
	}
}

func duplicates(t *testing.T, dir string, args ...string) (sets []set, summary map[string]any) {
	r := run(t, dir, append([]string{"duplicates", "--as", "json"}, args...)...)
	require.Zero(t, r.status, r.err)
	var document struct {
		Entries []set
		Summary map[string]any
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &document), r.out)
	return document.Entries, document.Summary
}

// twins makes files of all sizes of which many begin or end alike, or differ in
// one byte, some the same, some by several names.
func twins(t *testing.T, root string, seed uint64) {
	random := rand.New(rand.NewPCG(seed, 5))
	var contents [][]byte
	var paths []string
	sizes := []int{0, 1, 100, 4096, 8192, 8193, 16384, 16385, 40_000, 1 << 20, 1<<20 + 1, 2<<20 + 77}
	for i := range 250 {
		folder := filepath.Join(root, fmt.Sprint("f", random.IntN(5)))
		require.NoError(t, os.MkdirAll(folder, 0o755))
		path := filepath.Join(folder, fmt.Sprint("n", i))
		if random.IntN(8) == 0 && len(paths) > 0 {
			require.NoError(t, os.Link(paths[random.IntN(len(paths))], path))
			continue
		}
		var content []byte
		if random.IntN(2) == 0 || len(contents) == 0 {
			content = make([]byte, sizes[random.IntN(len(sizes))]) // zeros: alike but for one byte
		} else {
			content = slices.Clone(contents[random.IntN(len(contents))])
		}
		if len(content) > 0 && random.IntN(3) == 0 {
			content[[]int{0, len(content) / 2, len(content) - 1}[random.IntN(3)]] ^= byte(1 + random.IntN(2))
		}
		contents, paths = append(contents, content), append(paths, path)
		require.NoError(t, os.WriteFile(path, content, 0o644))
	}
}

func TestDuplicatesAgreeWithFullContentLong(t *testing.T) {
	long.Test(t)
	t.Parallel()
	for seed := range uint64(3) {
		root := t.TempDir()
		twins(t, root, seed)
		byContent := map[string]map[uint64][]string{} // content, inode, names
		require.NoError(t, filepath.Walk(root, func(path string, info os.FileInfo, err error) error {
			require.NoError(t, err)
			if info.IsDir() || info.Size() == 0 {
				return nil
			}
			content, err := os.ReadFile(path)
			require.NoError(t, err)
			var st unix.Stat_t
			require.NoError(t, unix.Lstat(path, &st))
			if byContent[string(content)] == nil {
				byContent[string(content)] = map[uint64][]string{}
			}
			byContent[string(content)][st.Ino] = append(byContent[string(content)][st.Ino], path)
			return nil
		}))
		want := map[string]int64{} // names, what is freed
		for content, files := range byContent {
			if len(files) > 1 {
				var names []string
				for _, n := range files {
					names = append(names, n...)
				}
				slices.Sort(names)
				want[strings.Join(names, " ")] = int64(len(files)-1) * int64(len(content))
			}
		}
		for _, options := range [][]string{nil, {"--confirm"}, {"--algorithm", "blake3"}} {
			sets, summary := duplicates(t, "/", append(options, root)...)
			got := map[string]int64{}
			for i, s := range sets {
				var names []string
				for _, c := range s.Copies {
					names = append(names, c.Path)
				}
				slices.Sort(names)
				got[strings.Join(names, " ")] = s.Reclaimable
				assert.True(t, i == 0 || s.Reclaimable <= sets[i-1].Reclaimable, "those that free most first")
			}
			require.Equal(t, want, got)
			assert.NotZero(t, summary["bytes_read"])
		}
	}
}

func TestDuplicatesOfPlaces(t *testing.T) {
	root := tree(t, "card/a", "card/b", "card/c", "archive/x", "archive/y", "other/z")
	put := func(content string, names ...string) {
		for i, name := range names {
			path := filepath.Join(root, name)
			require.NoError(t, os.WriteFile(path, []byte(strings.Repeat(content, 5000)), 0o644))
			when := time.Date(2026, 1, 1+i, 0, 0, 0, 0, time.UTC)
			require.NoError(t, os.Chtimes(path, when, when))
		}
	}
	put("one", "card/a", "archive/x", "other/z")
	put("two", "card/b", "card/c")
	put("ONE", "archive/y") // of the same size
	paths := func(args ...string) string {
		r := run(t, root, append([]string{"duplicates", "--as", "paths"}, args...)...)
		assert.Zero(t, r.status, r.err)
		return strings.Join(strings.Fields(r.out), " ")
	}
	assert.Equal(t, "card/a archive/x", paths("card", "archive", "--across"))
	assert.Equal(t, "card/b card/c", paths("card", "archive", "--only-in", "card"))
	assert.Equal(t, "archive/y", paths("card", "archive", "--only-in", "archive"))
	assert.Equal(t, "card/a other/z card/c", paths("archive", "card", "other", "--spares"))
	assert.Equal(t, "archive/x other/z card/c", paths("card", "archive", "other", "--spares", "--keep", "oldest"))
	assert.Equal(t, "archive/x card/a card/b", paths("card", "archive", "other", "--spares", "--keep", "newest"))
	assert.Equal(t, "other/z archive/x card/c", paths("archive", "card", "other", "--spares", "--keep", "shortest-path"))
	assert.Equal(t, "card/a archive/x", paths("card", "archive", "where", "name is a or name is x"))
	assert.Empty(t, paths("card", "card", "--across"), "a place is not another place than itself")

	// A name outside keeps what a spare takes.
	require.NoError(t, os.Link(filepath.Join(root, "card/c"), filepath.Join(root, "other/c")))
	require.NoError(t, os.Link(filepath.Join(root, "card/b"), filepath.Join(root, "card/b2")))
	sets, _ := duplicates(t, root, "card", "--keep", "shortest-path")
	require.Len(t, sets, 1)
	assert.Zero(t, sets[0].Reclaimable)
	assert.Len(t, sets[0].Copies, 3)
	out := run(t, root, "duplicates", "card").out
	assert.Contains(t, out, "1 spare frees nothing, because another name of it is outside")
	assert.Contains(t, out, "another name of the same file")

	// A sparse file frees no more than it takes.
	for _, name := range []string{"card/hole", "card/hole2"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), nil, 0o644))
		require.NoError(t, os.Truncate(filepath.Join(root, name), 5<<20))
	}
	sets, summary := duplicates(t, root, "card", "where", "name", "starts", "hole")
	require.Len(t, sets, 1)
	assert.Zero(t, sets[0].Reclaimable)
	assert.EqualValues(t, 5<<20, sets[0].Size)
	assert.Less(t, summary["bytes_read"], float64(10<<20+32<<10+1))

	for line, says := range map[string]string{
		"card --across": "two or more places", "card archive --only-in nowhere": "not among the places", "--keep best": "--keep can be first-place, oldest",
		"card archive --only-in card --spares": "contradict", "--algorithm crc": "no such algorithm",
	} {
		r := run(t, root, append([]string{"duplicates"}, strings.Fields(line)...)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, says)
	}
}

// Where no two sizes agree nothing is opened, and what cannot be read is said.
func TestDuplicatesReadLittle(t *testing.T) {
	root := tree(t, "a", "bb", "ccc", "no1", "no2", "empty", "void")
	for _, name := range []string{"empty", "void"} {
		require.NoError(t, os.Truncate(filepath.Join(root, name), 0))
	}
	_, summary := duplicates(t, root, "where", "not name starts no")
	assert.Zero(t, summary["bytes_read"])
	assert.EqualValues(t, 2, summary["empty"])
	sets, summary := duplicates(t, root, "--empty", "where", "empty")
	require.Len(t, sets, 1)
	assert.Zero(t, summary["bytes_read"])
	require.NoError(t, os.Chmod(filepath.Join(root, "no1"), 0))
	r := finish(t, stranger(command(t, root, "duplicates")))
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "could not read ./no1: permission denied")
	assert.Contains(t, r.out, "1 place could not be read")
}
