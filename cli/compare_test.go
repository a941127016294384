package cli_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// compared runs compare and returns the changes in words.
func compared(t *testing.T, dir string, args ...string) (changes []string, status int) {
	r := run(t, dir, append([]string{"compare", "--as", "jsonl"}, args...)...)
	require.Less(t, r.status, 2, r.err)
	for line := range strings.Lines(r.out) {
		var row struct {
			Change, Way string
			From        *string
			Differs     []struct{ Fact string }
		}
		require.NoError(t, json.Unmarshal([]byte(line), &row), line)
		change := row.Change + " " + row.Way
		if row.From != nil {
			change += " from " + *row.From
		}
		for _, d := range row.Differs {
			change += " " + d.Fact
		}
		changes = append(changes, change)
	}
	return changes, r.status
}

func TestCompare(t *testing.T) {
	root := tree(t, "a/same", "a/altered", "a/shorter", "a/gone", "a/old/moved", "a/mode", "a/time", "a/sneaky", "a/turned", "a/folder/x")
	require.NoError(t, os.Symlink("same", filepath.Join(root, "a/link")))
	require.NoError(t, exec.Command("cp", "-a", filepath.Join(root, "a"), filepath.Join(root, "b")).Run())
	changes, status := compared(t, root, "a", "b")
	assert.Empty(t, changes)
	assert.Zero(t, status)
	assert.Contains(t, run(t, root, "compare", "a", "b").out, "no difference: 13 entries are the same, 79 B in the files\ncompared by size and time; content was not compared (--content does that)\n")
	out := run(t, root, "compare", "a", "b", "--content").out
	assert.Contains(t, out, "compared by content; 158 B read")

	in := func(name string) string { return filepath.Join(root, "b", name) }
	write := func(name, content string) { require.NoError(t, os.WriteFile(in(name), []byte(content), 0o644)) }
	write("altered", "A/ALTERED")
	write("shorter", "a")
	write("new", "brand new")
	require.NoError(t, os.Remove(in("gone")))
	require.NoError(t, os.Rename(in("old/moved"), in("folder/moved")))
	require.NoError(t, os.Chmod(in("mode"), 0o600))
	then := time.Now().Add(-time.Hour)
	require.NoError(t, os.Chtimes(in("time"), then, then))
	info, err := os.Stat(in("sneaky")) // altered, with its time put back
	require.NoError(t, err)
	write("sneaky", "A/SNEAKY")
	require.NoError(t, os.Chtimes(in("sneaky"), info.ModTime(), info.ModTime()))
	require.NoError(t, os.Remove(in("turned")))
	require.NoError(t, os.Mkdir(in("turned"), 0o755))
	require.NoError(t, os.Remove(in("link")))
	require.NoError(t, os.Symlink("mode", in("link")))

	want := []string{"added new", "removed gone", "altered altered content modified", "altered link target", "altered shorter size modified",
		"altered turned kind mode", "moved folder/moved from a/old/moved", "details mode mode", "details time modified"}
	changes, status = compared(t, root, "a", "b")
	assert.Equal(t, want, changes)
	assert.Equal(t, 1, status)
	changes, _ = compared(t, root, "a", "b", "--content")
	assert.Equal(t, append(slices.Clone(want[:4]), append([]string{"altered shorter size modified", "altered sneaky content"}, want[5:]...)...), changes)
	changes, _ = compared(t, root, "a", "b", "where", "name is mode or name is new")
	assert.Equal(t, []string{"added new", "details mode mode"}, changes)

	out = run(t, root, "compare", "a", "b").out
	assert.Regexp(t, `(?m)^  mode +details +mode 0644 → 0600$`, out)
	assert.Regexp(t, `(?m)^  time +details +modified 60 minutes earlier in B$`, strings.ReplaceAll(out, "59 minutes", "60 minutes"))
	assert.Regexp(t, `(?m)^  link +altered +target same → mode$`, out)
	assert.Contains(t, out, "1 added, 1 removed, 4 altered, 1 moved, 2 with the same content, but other details\n")
	for line, says := range map[string]string{"a": "name two folders", "a b c": "name two folders", "a nosuch": "nosuch: no such file", "a b/new": "is a file and a is not", "b a/altered": "\nfrank compare b/altered a/altered\n"} {
		r := run(t, root, append([]string{"compare"}, strings.Fields(line)...)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, says, line)
	}
}

// Of two copies it is said which is newer, and what differs beside the content.
func TestCompareCopies(t *testing.T) {
	root := tree(t, "a", "b")
	for _, name := range []string{"a", "b"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte("same"), 0o644))
	}
	at := time.Date(2026, 11, 20, 8, 0, 0, 0, time.UTC)
	require.NoError(t, os.Chtimes(filepath.Join(root, "a"), at, at))
	require.NoError(t, os.Chtimes(filepath.Join(root, "b"), at, at.Add(-3*time.Hour)))
	require.NoError(t, os.Chmod(filepath.Join(root, "b"), 0o600))
	require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "again")))
	r := run(t, root, "compare", "a", "b")
	assert.Zero(t, r.status)
	assert.Contains(t, r.out, "A and B have the same content\nB was modified 3 hours earlier\npermissions: A rw- r-- r--, B rw- --- ---\nname: A a, B b\n")
	assert.Contains(t, run(t, root, "compare", "a", "again").out, "they are one file by two names")
}

// Two files are the same, or first differ somewhere, and have the digests they have.
func TestCompareFiles(t *testing.T) {
	root := tree(t)
	long := bytes.Repeat([]byte("line\n"), 500_000)
	other := slices.Clone(long)
	other[2_000_001] = 'X'
	for name, content := range map[string][]byte{"a": long, "b": other, "c": long[:1_500_000], "d": long, "none": nil} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), content, 0o644))
	}
	require.NoError(t, os.Symlink("d", filepath.Join(root, "link")))
	for _, c := range []struct {
		a, b, says string
		first      any
	}{
		{"a", "b", "A and B first differ in byte 2 000 002, in line 400 001\n  A  line\n  B  lXne\n      ^\n", 2_000_001.0},
		{"a", "link", "A and B have the same content", nil},
		{"c", "a", "B begins with all of A, and has 1 000 000 bytes more", 1_500_000.0},
		{"a", "c", "A begins with all of B, and has 1 000 000 bytes more", 1_500_000.0},
		{"none", "a", "B begins with all of A", 0.0},
		{"none", "none", "the same content", nil},
	} {
		r := run(t, root, "compare", c.a, c.b)
		assert.Equal(t, c.first != nil, r.status == 1, c)
		assert.Contains(t, r.out, c.says)
		var document struct {
			Entries []struct{ Digest string }
			Summary map[string]any
		}
		require.NoError(t, json.Unmarshal([]byte(run(t, root, "compare", c.a, c.b, "-a", "json").out), &document))
		assert.Equal(t, c.first, document.Summary["first_difference"], c)
		for i, name := range []string{c.a, c.b} {
			content, err := os.ReadFile(filepath.Join(root, name))
			require.NoError(t, err)
			assert.Equal(t, fmt.Sprintf("%x", sha256.Sum256(content)), document.Entries[i].Digest)
		}
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "c"), append(long[:1_500_000:1_500_000], 'x'), 0o600))
	assert.Contains(t, run(t, root, "compare", "a", "c").out, "first differ in byte 1 500 001")
	cmd := stranger(command(t, root, "compare", "a", "c"))
	require.NoError(t, os.Chmod(root, 0o755))
	require.NoError(t, os.Chmod(filepath.Join(root, "c"), 0o600))
	r := finish(t, cmd)
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "could not be compared")
	require.NoError(t, os.WriteFile(filepath.Join(root, "x"), []byte("12345"), 0o644))
	require.NoError(t, os.Mkdir(filepath.Join(root, "in"), 0o755))
	require.NoError(t, os.Mkdir(filepath.Join(root, "inside"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(root, "in/x"), make([]byte, 1_000_001), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(root, "inside/x"), make([]byte, 1_000_002), 0o644))
	assert.Contains(t, run(t, root, "compare", "in", "inside").out, "size 1 000 001 B → 1 000 002 B", "rounded they are the same")
}

// What lies in a folder that could not be read is neither added nor removed.
func TestCompareUnreadable(t *testing.T) {
	root := tree(t, "a/shut/x", "a/y", "a/z")
	require.NoError(t, exec.Command("cp", "-a", filepath.Join(root, "a"), filepath.Join(root, "b")).Run())
	require.NoError(t, os.WriteFile(filepath.Join(root, "b/shut/more"), nil, 0o644))
	require.NoError(t, os.Chmod(filepath.Join(root, "a/shut"), 0))
	defer os.Chmod(filepath.Join(root, "a/shut"), 0o755)
	r := finish(t, stranger(command(t, root, "compare", "a", "b", "where", "kind is file")))
	assert.Equal(t, 3, r.status, r.out)
	assert.Contains(t, r.out, "no difference in what could be compared")
	assert.Contains(t, r.out, "2 entries could not be compared")
	assert.Contains(t, r.err, "could not open the folder a/shut")
}

// Random edits of a copy are found, each as what it was.
func TestCompareFindsRandomEdits(t *testing.T) {
	for seed := range uint64(4) {
		random := rand.New(rand.NewPCG(seed, 9))
		root := t.TempDir()
		for i := range 120 {
			folder := filepath.Join(root, "a", fmt.Sprint("f", i%7))
			require.NoError(t, os.MkdirAll(folder, 0o755))
			content := fmt.Sprint(i, strings.Repeat("x", random.IntN(3)*10_000))
			require.NoError(t, os.WriteFile(filepath.Join(folder, fmt.Sprint("n", i)), []byte(content), 0o644))
		}
		require.NoError(t, exec.Command("cp", "-a", filepath.Join(root, "a"), filepath.Join(root, "b")).Run())
		var want []string
		for i := range 120 {
			rel := fmt.Sprintf("f%d/n%d", i%7, i)
			path := filepath.Join(root, "b", rel)
			switch random.IntN(8) {
			case 0:
				require.NoError(t, os.Remove(path))
				want = append(want, "removed "+rel)
			case 1:
				to := fmt.Sprintf("f%d/moved%d", random.IntN(7), i)
				require.NoError(t, os.Rename(path, filepath.Join(root, "b", to)))
				want = append(want, "moved "+to+" from a/"+rel)
			case 2:
				content, err := os.ReadFile(path)
				require.NoError(t, err)
				content[len(content)/2] ^= 1
				require.NoError(t, os.WriteFile(path, content, 0o644))
				then := time.Now().Add(time.Duration(random.IntN(1000)) * time.Hour)
				require.NoError(t, os.Chtimes(path, then, then))
				want = append(want, "altered "+rel+" content modified")
			case 3:
				require.NoError(t, os.Chmod(path, 0o640))
				want = append(want, "details "+rel+" mode")
			case 4:
				require.NoError(t, os.WriteFile(filepath.Join(root, "b", rel+"-new"), []byte(fmt.Sprint("new", i, seed)), 0o644))
				want = append(want, "added "+rel+"-new")
			}
		}
		changes, status := compared(t, root, "a", "b")
		assert.Equal(t, 1, status)
		slices.Sort(want)
		slices.Sort(changes)
		require.Equal(t, want, changes)
	}
}
