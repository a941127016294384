package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Of two sides, an entry is in the answer if it meets the condition on either; what one side did
// not look at, or may have passed over, is no difference. All commands tell the same numbers.
func TestTwoSides(t *testing.T) {
	root := tree(t, "d/sub/x", "d/cache/c")
	write := func(name string, size int) {
		require.NoError(t, os.WriteFile(filepath.Join(root, "d", name), make([]byte, size), 0o644))
	}
	home := t.TempDir()
	frank := func(line string) result {
		cmd := command(t, root, strings.Fields(line)...)
		cmd.Env = append(cmd.Env, "HOME="+home, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	for name, size := range map[string]int{"shrinks": 2000, "grows": 500, "sub/stays": 3000, "goes": 4000, ".cloak": 1} {
		write(name, size)
	}
	for _, line := range []string{"--label whole", "--label big where size over 1kB", "--label text where ext is txt", "--label nocache --skip cache", "--label rest where not path has /cache", "--label shown --hidden omit"} {
		require.Zero(t, frank("record d "+line).status, line)
	}
	write("shrinks", 300)
	write("grows", 2500)
	write("new.txt", 1500)
	write("cache/c2", 7)
	write(".veiled", 9)
	require.NoError(t, os.Remove(filepath.Join(root, "d/goes")))
	for _, one := range []struct {
		line, differ string
		change       int // of the bytes in all
		status       int // of weigh --since
	}{
		{"@whole", "added .veiled; added cache/c2; added new.txt; altered grows; altered shrinks; removed goes", 1500 + 7 + 9 - 4000 + 2000 - 1700, 0},
		{"@whole where size over 1kB", "added new.txt; altered grows; altered shrinks; removed goes", 1500 - 4000 + 2000 - 1700, 0},
		{"@big", "altered shrinks; removed goes; unclear grows; unclear new.txt", -4000 - 1700, 3},
		{"@big where name has s", "altered shrinks; removed goes; unclear grows", -4000 - 1700, 3},
		{"@text", "added new.txt", 1500, 0},
		{"@nocache", "added .veiled; added new.txt; altered grows; altered shrinks; removed goes", 1500 + 9 - 4000 + 2000 - 1700, 0},
		{"@rest", "added .veiled; added new.txt; altered grows; altered shrinks; removed goes", 1500 + 9 - 4000 + 2000 - 1700, 0},
		{"@whole where path has /new", "added new.txt", 1500, 0},
		{"@shown", "added cache/c2; added new.txt; altered grows; altered shrinks; removed goes", 1500 + 7 - 4000 + 2000 - 1700, 0},
		{"@whole where path is cache/c2 or folder is sub", "added cache/c2", 7, 0},
	} {
		place, condition, _ := strings.Cut(one.line, " ")
		for _, line := range []string{"compare " + place, "compare " + place + " d"} { // what is there now is that
			r := frank(line + " --as json " + condition)
			var answer struct {
				Entries []struct{ Change, Way string }
			}
			require.NoError(t, json.Unmarshal([]byte(r.out), &answer), r.err)
			var differ []string
			for _, e := range answer.Entries {
				differ = append(differ, e.Change+" "+e.Way)
			}
			slices.Sort(differ)
			assert.Equal(t, one.differ, strings.Join(differ, "; "), one.line)
			assert.Equal(t, 1, r.status, one.line)
		}
		for _, line := range []string{"weigh d --since " + place, "tally d --by kind --since " + place} {
			r := frank(line + " --as json " + condition)
			var answer struct {
				Summary struct{ Before, Now, Size int }
			}
			require.NoError(t, json.Unmarshal([]byte(r.out), &answer), r.err)
			assert.Equal(t, one.change, answer.Summary.Now-answer.Summary.Before, "%s %s", line, condition)
			assert.Equal(t, answer.Summary.Now, answer.Summary.Size, line)
			assert.Equal(t, one.status, r.status, "%s %s: %s", line, condition, r.out)
		}
	}
	r := frank("compare @big @big where size under 1")
	assert.Zero(t, r.status, r.out)
	assert.Contains(t, r.out, "both were recorded with where size over 1kB")
}

// A record tells what is different from the one before of the same place and terms, in the
// numbers of compare; a record on other terms is told at once.
func TestRecordTellsWhatCompareDoes(t *testing.T) {
	root := tree(t, "d/a", "d/b", "d/sub/c")
	home := t.TempDir()
	frank := func(line string) string {
		cmd := command(t, root, strings.Fields(line)...)
		cmd.Env = append(cmd.Env, "HOME="+home, "XDG_DATA_HOME="+home)
		r := finish(t, cmd)
		return r.out + r.err
	}
	told := func() (words []string) {
		out := frank("compare @d:1 @d --as json")
		var answer struct{ Summary map[string]any }
		require.NoError(t, json.Unmarshal([]byte(out), &answer), out)
		for _, change := range []string{"added", "removed", "moved", "altered", "details"} {
			if n := answer.Summary[change].(float64); n > 0 {
				words = append(words, strings.Replace(fmt.Sprint(n, " ", change), "details", "with other details", 1))
			}
		}
		return words
	}
	frank("record d --label d")
	since := func(line, want string) {
		t.Helper()
		out := frank("record d --label d " + line)
		if words := told(); len(words) > 0 {
			assert.Contains(t, out, "since the record before: "+strings.Join(words, ", ")+"\n")
		} else {
			assert.Contains(t, out, "nothing has changed since the record before")
		}
		assert.Contains(t, out, want)
	}
	since("--checksum sha256", "nothing has changed") // but that there are digests now
	since("--recheck", "nothing has changed")
	since("--attributes", "nothing has changed")
	require.NoError(t, os.Chmod(filepath.Join(root, "d/a"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(root, "d/b"), []byte("longer"), 0o644))
	require.NoError(t, os.Rename(filepath.Join(root, "d/sub"), filepath.Join(root, "d/moved")))
	since("", "2 moved, 1 altered, 1 with other details")
	out := frank("record d --label d where name is a")
	assert.Contains(t, out, "the first record of this place with these options")
	assert.Contains(t, out, "the record before under @d left nothing out")
	require.NoError(t, os.WriteFile(filepath.Join(root, "d/b"), []byte("even longer"), 0o644))
	out = frank("record d --label d --attributes")
	assert.Contains(t, out, "since record 5 (@d), the last with the same options: 1 altered")
	assert.Contains(t, out, "the record before under @d was made with other options (where name is a)")
	lines := slices.DeleteFunc(strings.Split(frank("history d/b --as csv"), "\n"), func(line string) bool { return !strings.Contains(line, "not read") })
	assert.Len(t, lines, 1, "it was not looked at in the record with a condition")
}
