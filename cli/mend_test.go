package cli_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever goes to a terminal, from names or from what was typed, in any format or
// message, none of it acts there; to a pipe, names are exact.
func TestNothingActsOnATerminal(t *testing.T) {
	const evil = "\x1b[2J\u009b\u202e\x07"
	root := tree(t, evil+"x", "plain")
	control := regexp.MustCompile("[\x00-\x08\x0b-\x1f\x7f]|[\u0080-\u009f\u202a-\u202e]")
	clean := func(out string) string { return colour.ReplaceAllString(strings.ReplaceAll(out, "\r\n", "\n"), "") }
	for _, words := range [][]string{
		{"list"}, {"list", "--as", "paths"}, {"list", "--as", "paths0"}, {"list", "--as", "csv"}, {"list", "--as", "json"}, {"list", "--as", "markdown"},
		{"checksum", "--as", "manifest"}, {"checksum", "--as", "csv"}, {"duplicates", "--empty"}, {"outline"}, {"inspect", evil + "x"}, {"weigh", "--largest", "2"},
		{"act", "hide", evil + "x"}, {"act", "hide", evil + "x", "--as", "json"}, {"act", "carry-out", evil + "x"},
		{"list", "--" + evil}, {"list", "--as-of", evil}, {"list", "--to", "no/" + evil}, {"list", evil}, {"search", "where", "name", evil}, {"recall", evil}, {evil},
		{"list", "@" + evil}, {"history", evil}, {"compare", evil, "plain"}, {"help", evil}, {"record", "--label", evil},
	} {
		cmd := command(t, root, words...)
		cmd.Env = append(cmd.Env, "HOME="+t.TempDir())
		out := clean(onTerminal(t, cmd, 120, 50))
		assert.NotEmpty(t, out, "%q", words)
		assert.NotRegexp(t, control, out, "%q", words)
	}
	assert.Contains(t, run(t, root, "list", "--as", "paths").out, evil+"x\n")
	assert.Contains(t, run(t, root, "checksum", "--as", "manifest").out, evil+"x\n")
}

// A pager that does not come up is no reason not to show the answer, and one that is
// left early is no failure.
func TestPagersThatFail(t *testing.T) {
	var names []string
	for i := range 300 {
		names = append(names, fmt.Sprint("file number ", i))
	}
	root := tree(t, names...)
	for pager, last := range map[string]bool{"no-such-pager-here": true, "exit 3": true, "head -3; exit 2": true, "head -3": false, "cat": true, "sh -c 'cat; exit 1'": true} {
		cmd := command(t, root, "list")
		cmd.Env = append(cmd.Env, "PAGER="+pager)
		out := onTerminal(t, cmd, 100, 20)
		assert.Zero(t, cmd.ProcessState.ExitCode(), "%s: %s", pager, out[max(0, len(out)-300):])
		assert.Equal(t, last, strings.Contains(out, "file number 299"), pager)
		assert.Equal(t, last, strings.Contains(out, "300 entries"), pager)
	}
}

// An answer that goes nowhere is no success. Where that was asked for it is one, also
// where a program has the null device opened for more than to write to.
func TestClosedOutput(t *testing.T) {
	root := tree(t, "a")
	var given *os.File
	shell := func(line, redirection string) (int, string) {
		cmd := command(t, root, strings.Fields(line)...)
		cmd.Args = append([]string{"sh", "-c", `"$@" ` + redirection + `; exit $?`, "sh", cmd.Path}, cmd.Args[1:]...)
		cmd.Path, _ = exec.LookPath("sh")
		if given != nil {
			cmd.Stdout = given
		}
		r := finish(t, cmd)
		return r.status, r.err
	}
	for _, line := range []string{"list", "help", "help list", "fields", "version", "config", "completion bash"} {
		status, said := shell(line, ">&-")
		assert.Equal(t, 4, status, line)
		assert.Contains(t, said, "the standard output is closed", line)
		status, said = shell(line, ">/dev/full")
		assert.Equal(t, 4, status, line)
		assert.Contains(t, said, "no space left", line)
	}
	status, _ := shell("list", ">/dev/null")
	assert.Zero(t, status)
	status, _ = shell("list --to b", ">&-")
	assert.Zero(t, status)
	assert.FileExists(t, filepath.Join(root, "b"))
	null, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	require.NoError(t, err)
	defer null.Close()
	given = null
	status, said := shell("list", "")
	assert.Zero(t, status, said)
	cmd := command(t, root, "list")
	cmd.Stdout = null
	assert.Zero(t, finish(t, cmd).status)
}

// The demo tells to remove what it made and nothing else, in words that a shell
// takes as they are.
func TestDemoIsRemovedAsItSays(t *testing.T) {
	folder := t.TempDir()
	into := filepath.Join(folder, "it's a $(touch oops) folder", "tern point")
	require.NoError(t, os.MkdirAll(filepath.Dir(into), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(into), "precious"), nil, 0o644))
	cmd := command(t, folder, "demo", "--into", into)
	cmd.Env = append(cmd.Env, "HOME="+folder)
	r := finish(t, cmd)
	require.Zero(t, r.status, r.err)
	_, line, found := strings.Cut(r.out, "When done, remove it with:")
	require.True(t, found)
	remove := exec.Command("sh", "-c", line)
	remove.Dir = folder
	out, err := remove.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.NoDirExists(t, into)
	assert.FileExists(t, filepath.Join(filepath.Dir(into), "precious"))
	assert.NoFileExists(t, filepath.Join(folder, "oops"))
}

// A day is the same to conditions and to a tally, also where clocks are changed at
// midnight.
func TestDaysAgree(t *testing.T) {
	root := tree(t, "eve", "first", "noon", "next")
	zone, err := time.LoadLocation("Africa/Cairo")
	require.NoError(t, err)
	for name, at := range map[string]time.Time{
		"eve": time.Date(2026, 4, 23, 23, 59, 59, 0, zone), "first": time.Date(2026, 4, 24, 1, 0, 0, 0, zone),
		"noon": time.Date(2026, 4, 24, 12, 0, 0, 0, zone), "next": time.Date(2026, 4, 25, 0, 0, 0, 0, zone),
	} {
		require.NoError(t, os.Chtimes(filepath.Join(root, name), at, at))
	}
	in := func(line string) string {
		cmd := command(t, root, strings.Fields(line)...)
		cmd.Env = append(cmd.Env, "TZ=Africa/Cairo")
		return finish(t, cmd).out
	}
	assert.Equal(t, "./first\n./noon\n", in("search . --as paths where modified on 2026-04-24"))
	assert.Equal(t, "./first\n./noon\n", in("search . --as paths --as-of 2026-04-25T13:00 where modified on yesterday"))
	assert.Equal(t, "./eve\n./first\n./noon\n", in("search . --as paths where modified between 2026-04-23 and 2026-04-24"))
	assert.Contains(t, in("tally . --by day --as csv"), "2026-04-24,2,")
}

// What a list or a record cannot honour is refused, not ignored; neither is what
// takes no end waited for.
func TestOptionsThatCannotBeHonoured(t *testing.T) {
	a := newActor(t, tree(t, "in/a", ".hidden"))
	a.do(0, "record . --label l")
	a.run(0, "search", ".", "--save-list", "../list", "where", "kind", "is", "file")
	for _, line := range []string{"list @l --follow", "search @l --same-disk where name is a", "list @@../list --depth 2", "search @@../list --hidden omit where name is a", "tally @@../list --by ext --skip in", "act hide @@../list --depth 1"} {
		r := a.run(2, strings.Fields(line)...)
		assert.Regexp(t, `--(follow|same-disk|depth|hidden|skip): @+(l|\.\./list) is a (list|record)`, r.err, line)
	}
	a.do(0, "list @l --hidden show --depth all --skip in")
	a.do(0, "list @@../list")
}

// A file of several names counts once, in records and comparisons as elsewhere.
func TestNamesOfOneFileCountOnce(t *testing.T) {
	a := newActor(t, tree(t, "d/", "e/", "z"))
	require.NoError(t, os.WriteFile(filepath.Join(a.root, "d/a"), make([]byte, 1000), 0o644))
	require.NoError(t, os.Link(filepath.Join(a.root, "d/a"), filepath.Join(a.root, "e/b")))
	require.NoError(t, os.Link(filepath.Join(a.root, "d/a"), filepath.Join(a.root, "c")))
	require.NoError(t, os.WriteFile(filepath.Join(a.root, "z"), make([]byte, 10), 0o644))
	assert.Contains(t, a.do(0, "weigh ."), "6 entries: 2 folders, 4 files · 1010 B in the files")
	assert.Contains(t, a.do(0, "record . --label l"), "6 entries · 1010 B in the files")
	assert.Contains(t, a.do(0, "compare @l"), "6 entries are the same, 1010 B in the files")
	require.NoError(t, os.WriteFile(filepath.Join(a.root, "e/new"), nil, 0o644))
	assert.Contains(t, a.do(0, "record . --label l"), "7 entries · 1010 B in the files")
	assert.Contains(t, a.do(1, "compare @l:1 @l"), "6 entries are the same, 1010 B in the files", "also where not all was read")
	a.do(0, "ledger check")
	a.do(0, "ledger export --to ../lines")
	a.do(0, "ledger import ../lines --ledger ../other")
	a.do(0, "ledger check --ledger ../other")
	a.do(0, "ledger export --to ../again --ledger ../other")
	one, err := os.ReadFile(filepath.Join(a.root, "../lines"))
	require.NoError(t, err)
	other, err := os.ReadFile(filepath.Join(a.root, "../again"))
	require.NoError(t, err)
	assert.Equal(t, string(one), string(other))
}

// A record that is dated later than now, as a clock was ahead, is shown with its date, and it is said so:
// how long it is until then is of no use.
func TestRecordsAheadOfNow(t *testing.T) {
	root, file := tree(t, "a", "b/c"), filepath.Join(t.TempDir(), "ledger")
	for range 2 {
		require.Zero(t, finish(t, withLedger(t, file, root, "record", ".", "--label", "l")).status)
	}
	day := time.Now().Format("2006-01-02")
	for _, args := range [][]string{{"list", "@l"}, {"weigh", ".", "--since", "@l"}, {"compare", "@l:1", "@l"}, {"history", "a"}, {"ledger", "entries"}, {"report", "."}} {
		r := finish(t, withLedger(t, file, root, append(args, "--as-of", "2020-02-02")...))
		require.Zero(t, r.status, r.err)
		assert.Contains(t, r.out, day, args)
		assert.Regexp(t, "later than now", r.out, args)
		assert.NotRegexp(t, `(recorded|@l)[^<\n]* in \d+ `, r.out, args)
	}
}
