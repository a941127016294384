package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Of what is in a folder that may be listed but not entered, only names are known.
// No command takes anything else of it for zero, empty or 1970, in any format.
func TestUnknownIsNeverZero(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs folders of another owner")
	}
	root := tree(t, "seen/a", "listed/b", "listed/c", "listed/sub/d")
	for dir := root; len(dir) > len(os.TempDir()); dir = filepath.Dir(dir) {
		require.NoError(t, os.Chmod(dir, 0o755))
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "seen/a"), []byte("12345"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(root, "listed/b"), []byte("12345"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(root, "listed/c"), nil, 0o644))
	require.NoError(t, os.Chmod(filepath.Join(root, "listed"), 0o744))
	home := t.TempDir()
	require.NoError(t, os.Chown(home, 48230, 48230))
	require.NoError(t, os.Chmod(filepath.Dir(home), 0o755))
	as := func(line string) string {
		t.Helper()
		cmd := command(t, root, strings.Fields(line)...)
		cmd.Env = append(cmd.Env, "HOME="+home)
		r := finish(t, stranger(cmd))
		require.Equal(t, 3, r.status, "%s: %s", line, r.err)
		require.NotContains(t, r.out, "1970-", line) // a date: nanoseconds and inodes have any digits
		require.NotContains(t, r.out, "56 years", line)
		return r.out
	}
	rows := func(line string) map[string]map[string]any {
		byPath := map[string]map[string]any{}
		for text := range strings.Lines(as(line)) {
			var row map[string]any
			require.NoError(t, json.Unmarshal([]byte(text), &row), text)
			key, _ := row["path"].(string)
			if key == "" {
				key, _ = row["key"].(string)
			}
			byPath[key] = row
		}
		return byPath
	}
	for _, line := range []string{"list . --depth all --as jsonl --columns all", "search . --as jsonl --columns all where kind is file"} {
		b := rows(line)["./listed/b"]
		require.NotNil(t, b)
		for _, key := range []string{"size", "disk", "modified", "accessed", "changed", "mode", "permissions", "owner", "group", "uid", "gid", "inode", "links", "device", "age"} {
			value, has := b[key]
			assert.True(t, has && value == nil || !has, "%s: %s is %v", line, key, value)
		}
	}
	for _, condition := range []string{"size under 10B", "size is 0B", "empty", "modified before 2000", "age over 10 years", "mode is 0000", "owner is root and name is b", "links is 0"} {
		assert.NotContains(t, as("search . where kind is file and "+condition), "listed/b", condition)
	}
	weighed := rows("weigh . --depth all --as jsonl")
	for _, path := range []string{"./listed", "./listed/sub"} {
		for _, key := range []string{"size", "disk", "share", "newest", "own_size"} {
			assert.Nil(t, weighed[path][key], "%s of %s", key, path)
		}
		assert.Equal(t, false, weighed[path]["complete"])
	}
	assert.Equal(t, 5.0, weighed["."]["size"])
	assert.Equal(t, false, weighed["."]["complete"])
	assert.Equal(t, true, weighed["./seen"]["complete"])
	assert.Regexp(t, `all read\) .* ≥ 5 B`, as("weigh"))
	assert.Regexp(t, `listed \(not all read\) .* \? `, as("weigh"))
	assert.Nil(t, rows("list . --totals --as jsonl")["./listed"]["size"])
	assert.Contains(t, as("list . --totals"), "at least 5 B in all")
	assert.Regexp(t, `listed +folder .* \?\n`, as("list . --totals"))
	assert.Regexp(t, `listed +\? +2 files, not all read`, as("outline"))
	assert.Contains(t, as("outline --as json"), `"path":"./listed","name":"listed","kind":"folder","size":null,"disk":null,"files":2`)
	for _, by := range []string{"day", "month", "owner", "mode", "size", "age"} {
		rows("tally . --as jsonl --by " + by)
	}
	assert.Nil(t, rows("tally . --as jsonl --by folder")["listed"]["size"])
	out := as("duplicates . --empty --as json")
	assert.Contains(t, out, `"files":1,`)
	assert.Contains(t, out, `"complete":false`)
	assert.Contains(t, as("duplicates ."), "1 file looked at")
	as("record . --label l")
	assert.Nil(t, rows("list @l --depth all --as jsonl --columns all")["@l/listed/b"]["size"])
	assert.Nil(t, rows("weigh @l --depth all --as jsonl")["@l/listed"]["size"])
	as("compare @l")
}

// What a place cannot tell of entries leaves it open whether they match: they are not in the answer,
// and are counted, in every form. What a record does not keep and can be found out is found out.
func TestConditionNotKnown(t *testing.T) {
	root := tree(t, "a.txt", "full/b.txt", "void/")
	ledger := "--ledger=" + filepath.Join(t.TempDir(), "ledger")
	require.Zero(t, run(t, root, "record", ".", "--label", "all", ledger).status)
	require.Zero(t, run(t, root, "record", ".", "--label", "some", ledger, "where", "name", "is", "none").status)
	for _, one := range []struct {
		place, where, paths, why string
		unknown                  float64
	}{
		{"@all", "type is text", "", "type", 2},
		{"@all", "not type is text", "@all/full @all/void", "type", 2},
		{"@all", "sha256 missing and name starts a", "", "sha256", 1},
		{"@all", "readable or name is a.txt", "@all/a.txt", "readable", 3},
		{"@all", "empty", "@all/void", "", 0},
		{"@all", "not empty", "@all/a.txt @all/full @all/full/b.txt", "", 0},
		{"@some", "not empty", "", "empty", 2},
		{".", "not empty", "./a.txt ./full ./full/b.txt", "", 0},
	} {
		words := []string{"search", one.place, ledger, "--order", "path", "where", one.where}
		listed := run(t, root, append([]string{words[0], words[1], words[2], "--as", "paths", "--order", "path"}, words[5:]...)...)
		assert.Equal(t, one.paths, strings.Join(strings.Fields(listed.out), " "), one)
		table, wanted := run(t, root, words...), map[bool]int{true: 3, false: 0}[one.why != ""]
		assert.Equal(t, []int{wanted, wanted}, []int{table.status, listed.status}, one)
		var document struct {
			Summary struct {
				Unknown  float64
				Complete bool
			}
			Problems []map[string]any
		}
		require.NoError(t, json.Unmarshal([]byte(run(t, root, append([]string{"search", one.place, ledger, "--as", "json"}, words[5:]...)...).out), &document))
		assert.Equal(t, []any{one.unknown, one.why == ""}, []any{document.Summary.Unknown, document.Summary.Complete}, one)
		if one.why == "" {
			assert.NotContains(t, table.out, "not known")
			continue
		}
		assert.Contains(t, table.out, ": "+one.why+" is not in this record\n")
		assert.Equal(t, []map[string]any{{"path": one.place, "tried": "look up " + one.why + " in", "reason": "it is not in this record", "entries": one.unknown}}, document.Problems, one)
	}
	funnel := run(t, root, "search", "@all", ledger, "--funnel", "where", "name", "has", "a", "and", "type", "is", "text")
	assert.Regexp(t, `\n +1  name has a\n +0  and type is text  \(not known of 1\)\n`, funnel.out)
}
