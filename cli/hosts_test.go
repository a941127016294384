package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A file that has records of several machines is asked about them as a database is.
func TestHostsOfAFile(t *testing.T) {
	root := tree(t, "a.txt", "b/c.txt")
	file := filepath.Join(t.TempDir(), "ledger")
	here, err := os.Hostname()
	require.NoError(t, err)
	on := func(args ...string) result { return run(t, root, append(args, "--ledger", file)...) }
	require.Zero(t, on("record", ".", "--label", "l").status)
	lines := on("ledger", "export").out
	for _, host := range []string{"gull", "heron"} {
		other := filepath.Join(t.TempDir(), "lines")
		require.NoError(t, os.WriteFile(other, []byte(strings.ReplaceAll(lines, `"host":"`+here+`"`, `"host":"`+host+`"`)), 0o644))
		r := on("ledger", "import", other)
		require.Zero(t, r.status, r.err)
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "d.txt"), nil, 0o644))
	require.Zero(t, on("record", ".", "--label", "l").status)
	for words, want := range map[string]string{
		"search @l --host all where name is a.txt":               "@l@gull/a.txt\n@l@heron/a.txt\n@l@" + here + "/a.txt\n",
		"search @l@gull where ext is txt":                        "@l@gull/a.txt\n@l@gull/b/c.txt\n",
		"search @l/b --host gull,heron where ext is txt":         "@l@gull/b/c.txt\n@l@heron/b/c.txt\n",
		"search @l --host all where name is d.txt":               "@l@" + here + "/d.txt\n",
		"search @l --host all where host is gull and ext is txt": "@l@gull/a.txt\n@l@gull/b/c.txt\n",
		"search @l where name is d.txt":                          "@l/d.txt\n",
		"search @* --host gull where name is c.txt":              "@l@gull/b/c.txt\n",
	} {
		args := strings.Fields(words)
		r := on(append(args, "--as", "paths")...)
		require.Zero(t, r.status, "%s: %s", words, r.err)
		assert.Equal(t, want, r.out, words)
	}
	r := on("list", "@l/d.txt", "--host", "all")
	require.Zero(t, r.status, r.err)
	assert.Contains(t, r.out, "2 machines have no d.txt: gull, heron")
	r = on("search", "@l", "--host", "gull,nobody", "where", "name", "is", "a.txt")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "@l@nobody: there is no such record")
	for words, want := range map[string]string{
		"search . --host all where ext is txt":     "--host needs a record, and . is not one",
		"search @l --host nobody where ext is txt": "there is no such label",
		"list @l/nope --host all":                  "none of these machines has nope",
		"list @l --host all,gull":                  "all already means every machine",
		"list @l --host a*":                        "is not the name of a machine",
		"list @7@gull":                             "already names one host",
		"history /a --host all":                    "a history shows one machine",
		"list @l@gull --save-list found":           "--save-list keeps paths of this machine",
		"ledger admit gull --as gull":              "logins belong to a database",
		"weigh @l --since @l --host all":           "frank tally --by host --since compares machines",
		"list @* --host nobody":                    "there are no records of nobody",
		"tally @l --host nobody,gull --since @l:1": "there is no such record",
	} {
		r := on(strings.Fields(words)...)
		assert.Equal(t, 2, r.status, words)
		assert.Contains(t, r.err, want, words)
	}
	r = on("ledger", "room", "--host", "gull", "--as", "csv")
	require.Zero(t, r.status, r.err)
	assert.Equal(t, 2, strings.Count(r.out, "\n"))
	assert.Equal(t, 4, strings.Count(on("ledger", "room", "--as", "csv").out, "\n"))
	// When was what recorded last, and what is late?
	r = on("ledger", "machines", "--fail-if", "late")
	assert.Zero(t, r.status, r.err)
	assert.Contains(t, r.out, "3 machines, 1 label, 0 late")
	r = on("ledger", "machines", "--host", "gull", "--as", "json", "--as-of", "2036-01-01T00:00:00Z")
	require.Zero(t, r.status, r.err)
	assert.Contains(t, r.out, `{"host":"gull","label":"l","late":null,`, "with one record of each, nothing is usual")
	r = on("ledger", "machines", "--fail-if", "late", "--as", "csv", "--as-of", "2036-01-01T00:00:00Z")
	assert.Equal(t, 1, r.status, r.err)
	assert.Contains(t, r.out, "\ngull,l,true,")
	r = on("ledger", "machines", "--host", "gull,nobody", "--fail-if", "late")
	assert.Equal(t, 3, r.status, "a name that was mistyped is not in time")
	assert.Contains(t, r.err, "could not find nobody: there is no such record")
	cmd := command(t, root, "__complete", "list", "--host", "gull,")
	cmd.Env = append(cmd.Env, "FRANK_LEDGER="+file)
	completed := finish(t, cmd).out
	assert.Contains(t, completed, "gull,heron\n")
	assert.NotContains(t, completed, "gull,gull")
	assert.NoFileExists(t, filepath.Join(root, "found"))
	// A machine that has only one of the two records is named, and left out of both.
	require.Zero(t, on("record", ".", "--label", "late").status)
	for words, missing := range map[string]string{"tally @l --since @l:1": "@l:1", "tally @late --since @l": "@late"} {
		r := on(append(strings.Fields(words), "--host", "all", "--by", "host")...)
		assert.Equal(t, 3, r.status, words)
		assert.Contains(t, r.err, "could not find "+missing+" (2 entries): 2 machines have no such record: gull, heron")
		assert.NotRegexp(t, `(?m)^ +(gull|heron)`, r.out)
	}
}
