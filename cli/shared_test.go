package cli_test

import (
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/testpg"
)

// A ledger in a database answers as one in a file.
func TestSharedLedgerAnswersAsAFile(t *testing.T) {
	t.Parallel()
	database := testpg.Database(t)
	root := ternPoint(t)
	require.NoError(t, os.RemoveAll(filepath.Join(root, "recordings"))) // which take long to hash
	file := filepath.Join(t.TempDir(), "ledger")
	r := finish(t, command(t, root, "ledger", "prepare", database))
	require.Zero(t, r.status, r.err)
	assert.Contains(t, r.out, "there is a ledger now in")
	assert.Contains(t, finish(t, command(t, root, "ledger", "prepare", database)).out, "there was a ledger already in")
	both := func(line ...string) (a, b result) {
		on := func(ledger string) result {
			cmd := command(t, root, line...)
			cmd.Env = append(cmd.Env, "FRANK_LEDGER="+ledger)
			return finish(t, cmd)
		}
		a, b = on(file), on(database)
		b.out, b.err = strings.ReplaceAll(b.out, database, file), strings.ReplaceAll(b.err, database, file)
		return a, b
	}
	record := func() {
		a, b := both("record", ".", "--label", "weekly", "--checksum", "sha256")
		require.Contains(t, []int{0, 3}, b.status, b.err)
		assert.Equal(t, a.out, b.out)
	}
	record()
	require.NoError(t, os.Remove(filepath.Join(root, "notes", "today.md")))
	require.NoError(t, os.Rename(filepath.Join(root, "maps"), filepath.Join(root, "charts")))
	record()
	require.NoError(t, os.WriteFile(filepath.Join(root, "counts", "new\xff.csv"), []byte("1\n"), 0o644))
	record()
	for _, line := range [][]string{{"list", "@weekly:2", "--depth", "all", "--as", "csv"}, {"search", "@weekly", "where", "name", "has", "dawn", "and", "size", "over", "1MB"}, {"search", "@1", "--effort", "where", "ext", "is", "csv"}, {"weigh", "@weekly"}, {"weigh", "--since", "@1"},
		{"tally", "@weekly", "--by", "ext"}, {"compare", "@weekly:2", "@weekly"}, {"compare", "@weekly"}, {"history", "notes/today.md", "--times", "utc"}, {"history", "counts", "--as", "svg"}, {"verify", "@weekly"}, {"duplicates", "@weekly"}, {"ledger", "check"}, {"list", "@nope"}, {"list", "@weekly/nope"},
		{"ledger", "drop", "2", "--carry-out", "--yes"}, {"list", "@weekly", "--depth", "all", "--times", "utc"}, {"list", "@1", "--depth", "all", "--times", "utc"}, {"ledger", "check"}, {"ledger", "export"}, {"ledger", "accept", "."}} {
		words := strings.Join(line, " ")
		a, b := both(line...)
		assert.Equal(t, a.status, b.status, "%s: %s", words, b.err)
		if words == "ledger export" { // in which the moments are
			assert.Equal(t, strings.Count(a.out, "\n"), strings.Count(b.out, "\n"))
			continue
		}
		strip := func(text string) string { return takenAt.ReplaceAllString(text, "") }
		assert.Equal(t, strip(a.out), strip(b.out), words)
		assert.Equal(t, a.err, b.err, words)
	}
}

// What a database does not allow is told, and its password never.
func TestSharedLedgerRefuses(t *testing.T) {
	t.Parallel()
	database := testpg.Database(t)
	root := tree(t, "note")
	u, err := url.Parse(database)
	require.NoError(t, err)
	u.User = url.UserPassword("owner", "secretword")
	with := func(change func(u *url.URL, q url.Values)) string {
		other, q := *u, u.Query()
		change(&other, q)
		other.RawQuery = q.Encode()
		return other.String()
	}
	for name, c := range map[string]struct {
		ledger, want string
		status       int
	}{
		"not prepared": {with(func(*url.URL, url.Values) {}), "there is no ledger yet in the database", 2},
		"no server":    {with(func(_ *url.URL, q url.Values) { q.Set("port", "1"); q.Set("connect_timeout", "1") }), "the database server cannot be reached", 4},
		"no database":  {with(func(u *url.URL, _ url.Values) { u.Path = "/nowhere" }), "there is no such database", 2},
		"settings":     {with(func(_ *url.URL, q url.Values) { q.Set("target_session_attrs", "bogus") }), "these are no settings of a connection", 2},
		"password": {with(func(_ *url.URL, q url.Values) {
			q.Set("password", "secretword")
			q.Set("port", "1")
			q.Set("connect_timeout", "1")
		}), "cannot be reached", 4},
	} {
		for _, line := range [][]string{{"list", "@weekly"}, {"record", ".", "--label", "x"}, {"ledger", "entries"}} {
			r := finish(t, command(t, root, append(line, "--ledger", c.ledger)...))
			assert.Equal(t, c.status, r.status, "%s: %s", name, r.err)
			assert.Contains(t, r.err, c.want, name)
			assert.NotContains(t, r.err+r.out, "secretword")
			assert.NotContains(t, r.err, "\n\t", "one line")
		}
	}
	prepared := with(func(*url.URL, url.Values) {})
	require.Zero(t, finish(t, command(t, root, "ledger", "prepare", prepared)).status)
	page := filepath.Join(t.TempDir(), "page.html")
	for _, line := range [][]string{{"record", ".", "--label", "x"}, {"report", ".", "--to", page}, {"search", "@x", "where", "size", "ovr", "3"}, {"search", ".", "--remember", "n", "where", "size", "over", "3"}} {
		r := finish(t, command(t, root, append(line[:2:2], append([]string{"--ledger", prepared}, line[2:]...)...)...))
		assert.NotContains(t, r.err+r.out, "secretword", line)
	}
	content, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Contains(t, string(content), "postgresql://owner@")
	assert.NotContains(t, string(content), "secretword")
	r := finish(t, command(t, root, "ledger", "prepare", "ledger.sqlite"))
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "name one database")
}

// takenAt is when each record was taken, and where that is in a picture.
var takenAt = regexp.MustCompile(` *(\d+ seconds? ago|just now) *|\d\d\d\d-\d\d-\d\d[T ]\d\d:\d\d(:\d\d\.\d+)?|cx="[^"]*"|d="[^"]*"|x="[^"]*"|\d\d-\d\d \d\d:\d\d`)

// Records are kept here first, and sent when the database can be reached.
func TestSendRecords(t *testing.T) {
	database := testpg.Database(t)
	root := tree(t, "notes/one", "notes/two", "maps/three")
	require.Zero(t, finish(t, command(t, root, "ledger", "prepare", database)).status)
	home := t.TempDir()
	on := func(line ...string) result {
		cmd := command(t, root, line...)
		cmd.Env = append(cmd.Env, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	away := strings.Replace(database, "port=54321", "port=54322", 1)
	r := on("record", ".", "--label", "all", "--send", away)
	assert.Zero(t, r.status, r.err)
	assert.Contains(t, r.err, "recorded, but not sent: ")
	assert.Contains(t, r.err, "frank ledger send @all --to ")
	require.NoError(t, os.WriteFile(filepath.Join(root, "notes", "four"), []byte("4"), 0o644))
	r = on("record", ".", "--label", "all", "--send", database)
	require.Zero(t, r.status, r.err)
	assert.Contains(t, r.out, "2 records sent to postgresql://", "that of before, too")
	require.Zero(t, on("record", "maps", "--label", "maps").status)
	r = on("ledger", "send", "--to", database)
	assert.Contains(t, r.out, "@maps, number 3: number 3 there\n1 record sent to ")
	assert.Contains(t, r.out, "; 2 were there already")
	for _, line := range [][]string{{"list", "@all", "--depth", "all", "--as", "csv"}, {"compare", "@all:1", "@all", "--as", "csv"}, {"history", "notes/four", "--as", "csv"}} {
		here, there := on(line...), on(append(line[:1:1], append([]string{"--ledger", database}, line[1:]...)...)...)
		if line[0] == "compare" {
			assert.Equal(t, 1, here.status)
		}
		assert.Equal(t, here.out, there.out, line)
	}
	for want, line := range map[string][]string{
		"say where to send them":      {"ledger", "send"},
		"there is no such label: nix": {"ledger", "send", "@nix", "--to", database},
		"the database server cannot":  {"ledger", "send", "--to", away},
		"there is no ledger yet in":   {"ledger", "send", "--to", testpg.Database(t)},
	} {
		r := on(line...)
		assert.Contains(t, r.err, want)
		assert.NotZero(t, r.status)
	}
	r = on("record", ".", "--label", "all", "--send", "postgres:/gull:SECRET@db/x")
	assert.Contains(t, r.err, "this looks like a connection")
	assert.NotContains(t, r.err+r.out, "SECRET")
	assert.Contains(t, on("list", "@all:1").out, "number 1", "nothing is recorded before the names are looked at")
	r = on("ledger", "check", "--ledger", database)
	assert.Zero(t, r.status, r.err)
}
