package cli_test

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every command takes every kind of place, with a condition and without one, or says why not and
// what does instead. The table of docs/meaning.md tells which.
func TestEveryPlaceInEveryCommand(t *testing.T) {
	t.Parallel()
	root := tree(t, "t/a.txt", "t/sub/b.md", "u/a.txt")
	home := t.TempDir()
	shell := func(line string) result {
		cmd := command(t, root, "-c", `frank() { "`+frank+`" "$@"; }; `+line)
		cmd.Path = "/bin/sh"
		cmd.Env = append(cmd.Env, "HOME="+home, "XDG_DATA_HOME="+home)
		return finish(t, cmd)
	}
	require.NoError(t, os.Symlink("t", filepath.Join(root, "link")))
	require.NoError(t, os.WriteFile(filepath.Join(root, "kept"), []byte("t/a.txt\nt/sub\nt/a.txt\n"), 0o644))
	for _, line := range []string{"frank record t --label w --checksum sha256 -q", "frank record t --label some where name has a", "frank checksum t --as manifest --to sums", "frank list t -d all --as csv --to kept.csv"} {
		require.Zero(t, shell(line).status, line)
	}
	places := []struct{ name, given string }{
		{"folder", "t"}, {"file", "t/a.txt"}, {"link to a folder", "link"}, {"several", "t u"}, {"list", "@@kept"}, {"table", "@@kept.csv"},
		{"record", "@w"}, {"record with a condition", "@some"}, {"file in a record", "@w/a.txt"},
	}
	commands := []struct{ name, line string }{
		{"list", "list PLACE WHERE"}, {"search", "search PLACE --order name WHERE"}, {"outline", "outline PLACE WHERE"}, {"weigh", "weigh PLACE WHERE"}, {"weigh --since", "weigh PLACE --since @w WHERE"},
		{"tally", "tally PLACE WHERE"}, {"tally --since", "tally PLACE --since @w WHERE"}, {"inspect", "inspect PLACE"}, {"checksum", "checksum PLACE WHERE"}, {"verify", "verify PLACE WHERE"},
		{"duplicates", "duplicates PLACE WHERE"}, {"compare with a folder", "compare PLACE u WHERE"}, {"compare with a record", "compare @w PLACE WHERE"},
		{"record", "record PLACE --label x WHERE"}, {"report", "report PLACE --to r.html --replace WHERE"}, {"history", "history PLACE"}, {"act", "act hide PLACE WHERE"},
	}
	table := []string{"| |", "| --- |"}
	for _, place := range places {
		table[0] += " " + place.name + " |"
		table[1] += " --- |"
	}
	for _, c := range commands {
		row := "| " + c.name + " |"
		for _, place := range places {
			cell := ""
			for _, where := range []string{"", "where 'name has a'"} {
				line := "frank " + strings.NewReplacer("PLACE", place.given, "WHERE", where).Replace(c.line)
				if where != "" && !strings.Contains(c.line, "WHERE") {
					continue
				}
				if c.name == "search" && where == "" {
					continue // what to look for is said
				}
				if c.name == "record" { // each place has a label of its own
					line = strings.Replace(line, "--label x", "--label x"+strings.Trim(strings.NewReplacer("/", "-", "@", "", " ", "-").Replace(place.given), "-"), 1)
				}
				r := shell(line)
				require.Contains(t, []int{0, 1, 2, 3}, r.status, "%s: %s", line, r.err)
				took := map[bool]string{true: "no", false: "yes"}[r.status == 2]
				if r.status == 2 { // then it says what does
					offered := ""
					for told := range strings.Lines(r.err) {
						if strings.HasPrefix(told, "frank ") && !strings.Contains(told, ": ") {
							offered = strings.TrimSpace(told)
							break
						}
					}
					if assert.NotEmpty(t, offered, "%s: %s", line, r.err) {
						assert.NotEqual(t, 2, shell(offered).status, "%s offers %s", line, offered)
					}
				}
				if cell != "" && cell != took {
					took = map[bool]string{true: "without a condition", false: "with a condition"}[cell == "yes"]
				}
				cell = took
			}
			row += " " + cell + " |"
		}
		table = append(table, row)
	}
	text := strings.Join(table, "\n") + "\n"
	docs, err := os.ReadFile("../docs/meaning.md")
	require.NoError(t, err)
	assert.Contains(t, string(docs), text, "the table of docs/meaning.md is to be:\n%s", text)
	// No command is missing.
	told := run(t, "/", "help").out
	others := []string{"ledger", "read", "recall", "completion", "config", "demo", "fields", "version"}
	for line := range strings.Lines(told) {
		name, what, _ := strings.Cut(strings.TrimPrefix(line, "  "), " ")
		if strings.HasPrefix(line, "  ") && !strings.HasPrefix(line, "   ") && strings.TrimSpace(what) != "" && name == strings.ToLower(name) && name != "frank" && name != "and" {
			assert.True(t, slices.Contains(others, name) || slices.ContainsFunc(commands, func(c struct{ name, line string }) bool { return strings.HasPrefix(c.name, name) }), "%s is not in the table", name)
		}
	}
}
