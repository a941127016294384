package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What no longer meets the condition is not gone, and what a record did not look for is not known to be.
func TestSearchAllRecords(t *testing.T) {
	t.Parallel()
	root, ledger := tree(t, "a/old", "a/shrinks", "a/stays", ".hid/x", "b/deep/y", "c"), filepath.Join(t.TempDir(), "ledger")
	put := func(name, content string) {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	do := func(words ...string) result { return finish(t, withLedger(t, ledger, root, words...)) }
	record := func(words ...string) {
		r := do(append([]string{"record", ".", "--label", "all"}, words...)...)
		require.Zero(t, r.status, r.err)
	}
	rows := func(line string) map[string]string {
		r := do(append([]string{"search"}, append(strings.Fields(line), "--as", "csv", "-c", "path")...)...)
		got := map[string]string{}
		for row := range strings.Lines(r.out) {
			cells := strings.Split(strings.TrimSpace(row), ",") // path,first,last,records,state,gone,first_record,last_record
			got[cells[0]] = strings.Join([]string{cells[3], cells[4], cells[6], cells[7]}, " ")
		}
		delete(got, "path")
		return got
	}
	put("a/shrinks", "long enough")
	record()
	put("a/shrinks", "no")
	require.NoError(t, os.Remove(filepath.Join(root, "a/old")))
	record()
	record("--hidden", "omit", "--skip", "b")
	assert.Equal(t, map[string]string{"@3/a/shrinks": "3 there 1 3"}, rows("@all:all where size over 10"))
	assert.Equal(t, map[string]string{"@1/a/old": "1 absent 1 1"}, rows("@all:all old"))
	assert.Equal(t, map[string]string{"@2/.hid/x": "2 not read 1 2", "@2/b/deep/y": "2 not read 1 2", "@3/c": "3 there 1 3"}, rows("@all:all where kind is file and not path starts a/"))
	assert.Equal(t, map[string]string{"@2/b/deep/y": "2 not read 1 2"}, rows("@all:all/b/deep y"))
	record("where", "name", "has", "old")
	assert.Equal(t, map[string]string{"@1/a/old": "1 absent 1 1", "@3/a/stays": "3 not read 1 3"}, rows("@all:all where path starts a/ and name is old or name is stays"))
	require.NoError(t, os.RemoveAll(filepath.Join(root, "b")))
	record()
	assert.Equal(t, map[string]string{"@2/b/deep/y": "2 absent 1 2"}, rows("@all:all where name is y"))
	assert.Equal(t, map[string]string{"@2/b/deep/y": "2 absent 1 2"}, rows("@all:all/b y"), "its folder is gone, too")
	assert.Equal(t, map[string]string{"@5/.hid/x": "3 there 1 5"}, rows("@:all x"))
	r := do("search", "@all:all", "-f", "1", "where", "kind", "is", "file")
	assert.Contains(t, r.out, "1 shown; 6 entries in 5 records of @all, 2 of them there no more\n")
	assert.Contains(t, do("list", "@3/b").err, "it was left out when the record was made")
	assert.Contains(t, do("compare", "@1/b", "@3/b").out, "no difference in what could be compared")
}
