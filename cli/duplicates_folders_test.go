package cli_test

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// held is what a folder holds: relative paths, with content or what a link says.
func held(t *testing.T, folder string) map[string]string {
	all := map[string]string{}
	require.NoError(t, filepath.Walk(folder, func(path string, info os.FileInfo, err error) error {
		require.NoError(t, err)
		name, _ := filepath.Rel(folder, path)
		switch {
		case info.Mode()&os.ModeSymlink != 0:
			to, err := os.Readlink(path)
			require.NoError(t, err)
			all[name] = "link to " + to
		case info.IsDir():
			all[name] = "folder"
		default:
			content, err := os.ReadFile(path)
			require.NoError(t, err)
			all[name] = "file " + string(content)
		}
		return nil
	}))
	return all
}

// treeHash is the hash of a folder as docs/formats.md tells it.
func treeHash(t *testing.T, folder string) string {
	names, err := os.ReadDir(folder) // in order of names
	require.NoError(t, err)
	whole := sha256.New()
	for _, d := range names {
		path := filepath.Join(folder, d.Name())
		kind, content := "file", []byte(nil)
		switch {
		case d.IsDir():
			fmt.Fprintf(whole, "folder %s %s\x00", treeHash(t, path), d.Name())
			continue
		case d.Type()&os.ModeSymlink != 0:
			to, _ := os.Readlink(path)
			kind, content = "link", []byte(to)
		default:
			content, _ = os.ReadFile(path)
		}
		fmt.Fprintf(whole, "%s %x %s\x00", kind, sha256.Sum256(content), d.Name())
	}
	return hex.EncodeToString(whole.Sum(nil))
}

// grove makes a tree in which folders were copied, some of these altered since.
func grove(t *testing.T, seed uint64) string {
	random := rand.New(rand.NewPCG(seed, 6))
	root := t.TempDir()
	folders := []string{root}
	for i := range 40 {
		in := folders[random.IntN(len(folders))]
		path := filepath.Join(in, fmt.Sprint("n", random.IntN(6)))
		switch random.IntN(6) {
		case 0, 1:
			if os.Mkdir(path, 0o755) == nil {
				folders = append(folders, path)
			}
		case 2:
			os.Symlink(fmt.Sprint("to", random.IntN(2)), path)
		case 3: // a copy, somewhere else
			from := folders[random.IntN(len(folders))]
			if to := path + "-copy"; from != root && !strings.HasPrefix(to, from+"/") && exec.Command("cp", "-a", from, to).Run() == nil {
				filepath.WalkDir(to, func(p string, d os.DirEntry, err error) error {
					if err == nil && d.IsDir() && !slices.Contains(folders, p) {
						folders = append(folders, p)
					}
					return nil
				})
			}
		default:
			if _, err := os.Lstat(path); err != nil {
				size := []int{0, 3, 5000, 30_000}[random.IntN(4)]
				require.NoError(t, os.WriteFile(path, []byte(strings.Repeat(fmt.Sprint(i%7), size)), 0o644))
			}
		}
	}
	return root
}

// Folders that are said to be copies are; those that are copies are said to be, but for
// what lies within others; no content is lost with the spares, however many.
func TestDuplicateFolders(t *testing.T) {
	t.Parallel()
	found, parts := 0, 0
	for seed := range uint64(often(20)) {
		root := grove(t, seed)
		same := map[string][]string{} // by all that is held
		var contents []string
		require.NoError(t, filepath.WalkDir(root, func(path string, d os.DirEntry, err error) error {
			require.NoError(t, err)
			if !d.IsDir() {
				if content, err := os.ReadFile(path); err == nil && d.Type().IsRegular() {
					contents = append(contents, string(content))
				}
				return nil
			}
			holds, full := held(t, path), false
			for _, what := range holds {
				full = full || len(what) > len("file ") && strings.HasPrefix(what, "file ")
			}
			if full {
				key := fmt.Sprint(holds) // maps are printed in order of keys
				same[key] = append(same[key], path)
			}
			return nil
		}))
		sets, summary := duplicates(t, root, "--keep", "first-place", root)
		var spares []string
		freed := int64(0)
		for _, set := range sets {
			freed += set.Reclaimable
			if set.Kind == "file" {
				continue
			}
			one := held(t, set.Copies[0].Path)
			assert.True(t, set.Copies[0].Stays)
			for _, c := range set.Copies[1:] {
				found++
				assert.False(t, c.Stays)
				spares = append(spares, c.Path)
				other := held(t, c.Path)
				if set.Beside == nil {
					assert.Equal(t, one, other)
				}
				for name, what := range other {
					assert.Equal(t, what, one[name])
				}
				assert.Equal(t, treeHash(t, c.Path), set.Digest)
			}
			if set.Beside != nil {
				parts++
				assert.Greater(t, len(one), len(held(t, set.Copies[1].Path)))
			}
		}
		for _, paths := range same {
			left := slices.DeleteFunc(slices.Clone(paths), func(path string) bool {
				return slices.ContainsFunc(spares, func(spare string) bool { return path == spare || strings.HasPrefix(path, spare+"/") })
			})
			assert.LessOrEqual(t, len(left), 1, "seed %d: %v, spares %v", seed, left, spares)
		}
		assert.EqualValues(t, summary["reclaimable"], freed)
		list := run(t, root, "duplicates", "--spares", "--as", "paths0", root)
		require.Zero(t, list.status, list.err)
		removed := int64(0)
		for _, path := range strings.Split(strings.TrimSuffix(list.out, "\x00"), "\x00") {
			if path == "" {
				continue
			}
			info, err := os.Lstat(path)
			require.NoError(t, err)
			removed += info.Size()
			require.NoError(t, os.Remove(path))
		}
		assert.Equal(t, freed, removed)
		left := map[string]bool{}
		for _, what := range held(t, root) {
			left[strings.TrimPrefix(what, "file ")] = true
		}
		for _, content := range contents {
			assert.True(t, left[content], "seed %d: content is lost", seed)
		}
		sets, _ = duplicates(t, root, root)
		assert.Empty(t, sets, "seed %d", seed)
	}
	assert.Greater(t, found, 10)
	assert.NotZero(t, parts)
}

// What was not seen is in no copy; what is seen twice is no copy of itself.
func TestDuplicateFoldersUnseen(t *testing.T) {
	t.Parallel()
	root := tree(t, "a/sub/x", "b/sub/x", "a/y", "b/y")
	for _, path := range []string{"a/sub/x", "b/sub/x"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, path), []byte("same"), 0o644))
	}
	kinds := func(args ...string) (kinds []string) {
		sets, _ := duplicates(t, root, args...)
		for _, s := range sets {
			kinds = append(kinds, s.Kind)
		}
		return kinds
	}
	assert.Equal(t, []string{"folder"}, kinds())
	assert.Equal(t, []string{"file"}, kinds("--folders", "omit"))
	assert.Equal(t, []string{"file"}, kinds("--hidden", "omit"))
	assert.Equal(t, []string{"file"}, kinds("where", "name", "is", "x"))
	assert.Equal(t, []string(nil), kinds("--skip", "sub"), "nothing is known of what is in them")
	assert.Equal(t, []string{"folder"}, kinds("a", "b", "--across"))
	assert.Equal(t, []string{"folder"}, kinds("a", ".", "--folders", "only"), "one place in the other")
	assert.Equal(t, []string(nil), kinds("a", "a/sub"))
	require.NoError(t, os.WriteFile(filepath.Join(root, "a/sub/more"), []byte("1"), 0o644))
	assert.Equal(t, []string{"folder"}, kinds("--folders", "only"), "all of one is in the other")
	assert.Equal(t, []string{"file"}, kinds("b", "a"), "but what is in the first place stays")
	assert.Contains(t, run(t, root, "duplicates", "--folders", "only", "where", "name", "is", "x").err, "whole folders")

	require.NoError(t, os.Remove(filepath.Join(root, "a/sub/more")))
	require.NoError(t, os.Chmod(filepath.Join(root, "a"), 0o755))
	ledger := filepath.Join(t.TempDir(), "ledger")
	require.Zero(t, finish(t, withLedger(t, ledger, root, "record", "a", "--checksum", "sha256", "--label", "l")).status)
	r := finish(t, withLedger(t, ledger, root, "duplicates", "@l", "b", "--as", "csv"))
	assert.Equal(t, 2, strings.Count(r.out, ",folder,"), r.out)
}

// After clearing, each content is there once, and undo gives everything back; with
// --from, another place loses nothing.
func TestActClear(t *testing.T) {
	t.Parallel()
	for seed := range uint64(often(4)) {
		root := grove(t, seed)
		before, contents := held(t, root), map[string]bool{}
		for _, what := range before {
			if strings.HasPrefix(what, "file ") && what != "file " {
				contents[what] = true
			}
		}
		a := newActor(t, root)
		for _, line := range []string{"act clear .", "act clear . --files-only", "act clear . --by hard-links", "act clear . where kind is file"} {
			r := a.do(0, line+" --carry-out --yes")
			left := map[string]int{}
			for _, what := range held(t, root) {
				left[what]++
			}
			for content := range contents {
				if strings.Contains(line, "hard-links") {
					assert.NotZero(t, left[content])
				} else {
					assert.Equal(t, 1, left[content], "seed %d: %s", seed, r)
				}
			}
			sets, _ := duplicates(t, root, ".")
			for _, s := range sets {
				assert.Zero(t, s.Reclaimable, "seed %d: %s", seed, line)
			}
			if !strings.Contains(r, "0 steps") {
				a.do(0, "act undo")
			}
			require.Equal(t, before, held(t, root), "seed %d: %s", seed, line)
		}
	}
	root := tree(t, "good/a", "good/b", "card/a", "card/c", "card/d")
	for name, content := range map[string]string{"good/a": "1", "good/b": "1", "card/a": "1", "card/c": "2", "card/d": "2"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	a := newActor(t, root)
	assert.Contains(t, a.do(0, "act clear card good --from card --carry-out --yes"), "1 put into the trash")
	assert.NoFileExists(t, filepath.Join(root, "card/a"))
	assert.FileExists(t, filepath.Join(root, "card/d"))
	assert.FileExists(t, filepath.Join(root, "good/b"))
	for line, says := range map[string]string{
		"act clear":                                     "say where",
		"act clear good --from card":                    "not among the places",
		"act clear good --from good":                    "two or more places",
		"act clear good --by magic":                     "removing, hard-links or shared",
		"act clear good --by shared --for-good":         "contradict",
		"act clear good card --from card --keep oldest": "contradict",
	} {
		assert.Contains(t, a.run(2, strings.Fields(line)...).err, says, line)
	}
	a.do(0, "duplicates card --spares --to spares.jsonl")
	assert.Contains(t, a.do(0, "act clear @@spares.jsonl --by hard-links --carry-out --yes"), "1 turned into")
}
