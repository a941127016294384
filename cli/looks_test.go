package cli_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rows returns the lines between the headings and the footer.
func rows(t *testing.T, out string) []string {
	parts := strings.Split(out, "\n\n")
	require.Len(t, parts, 3, out)
	return strings.Split(parts[1], "\n")[1:]
}

func TestTimesAndUnits(t *testing.T) {
	root := tree(t, "recording.wav")
	path := filepath.Join(root, "recording.wav")
	require.NoError(t, os.Truncate(path, 1_500_000))
	// The first is in summer time in Berlin, the second, an hour later, no more.
	for when, local := range map[string]string{"2026-10-25T00:30:00Z": "2026-10-25 02:30", "2026-10-25T01:30:00Z": "2026-10-25 02:30", "2026-12-01T23:30:00Z": "2026-12-02 00:30"} {
		moment, err := time.Parse(time.RFC3339, when)
		require.NoError(t, err)
		require.NoError(t, os.Chtimes(path, moment, moment))
		for _, c := range []struct{ option, want string }{
			{"--times local", local},
			{"--times utc", strings.Replace(when[:16], "T", " ", 1) + "Z"},
			{"--as-of 2026-12-05", "days ago"},
			{"--as-of 2020-01-01", "6 years ahead"},
			{"--units binary", "  1.4 MiB  "},
			{"--units decimal", "  1.5 MB  "},
			{"--units bytes", "  1 500 000 B  "},
		} {
			cmd := command(t, root, append([]string{"list"}, strings.Fields(c.option)...)...)
			cmd.Env = append(cmd.Env, "TZ=Europe/Berlin")
			assert.Contains(t, rows(t, finish(t, cmd).out)[0], c.want, c.option)
		}
		r := run(t, root, "list", "--as", "csv", "--columns", "modified,age", "--as-of", "2026-12-25T00:00:00Z")
		age := time.Date(2026, 12, 25, 0, 0, 0, 0, time.UTC).Sub(moment)
		assert.Equal(t, "modified,age\r\n"+when[:19]+".000000000Z,"+strconv.FormatInt(int64(age/time.Second), 10)+"\r\n", r.out)
	}
}

// Only what is asked for is asked of the system: names cost no call for each
// entry, so that a folder that may be listed and not entered gives them all.
func TestNamesNeedNoMore(t *testing.T) {
	root := tree(t, "names/one", "names/two")
	require.NoError(t, os.Chmod(filepath.Join(root, "names"), 0o744))
	if os.Geteuid() != 0 {
		require.NoError(t, os.Chmod(filepath.Join(root, "names"), 0o400))
	}
	defer os.Chmod(filepath.Join(root, "names"), 0o755)
	for _, args := range []string{"--as paths", "--columns name,kind,ext", "--as csv --columns path,stem --order name/reverse"} {
		r := finish(t, stranger(command(t, root, append([]string{"list", "names"}, strings.Fields(args)...)...)))
		assert.Zero(t, r.status, r.err)
		assert.Contains(t, r.out, "two")
	}
	r := finish(t, stranger(command(t, root, "list", "names")))
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "2 places could not be read")
	for _, row := range rows(t, r.out) {
		assert.Regexp(t, `^  (one|two) +\? +\? +\? +\?$`, row, "what is not known is not made up")
	}
}

func TestQuiet(t *testing.T) {
	root := tree(t, "a", ".b")
	assert.Equal(t, "  a\n", run(t, root, "list", "--quiet", "--columns", "name").out)
	out := onTerminal(t, command(t, root, "list", "--as", "paths"), 80, 24)
	assert.Equal(t, "./a\n1 entry: 1 file\n1 hidden entry not shown; --hidden shows them\n", out, "a person is told, on the standard error")
	assert.Equal(t, "./a\n", onTerminal(t, command(t, root, "list", "--as", "paths", "--quiet"), 80, 24))
	assert.Equal(t, result{out: "./a\n"}, run(t, root, "list", "--as", "paths"), "a script is not")
}

// The place is shown in full, also where a link leads to it.
func TestHeading(t *testing.T) {
	root := tree(t, "real/folder/file")
	require.NoError(t, os.Symlink("real/folder", filepath.Join(root, "short")))
	first := func(dir string, args ...string) string {
		line, _, _ := strings.Cut(run(t, filepath.Join(root, dir), append([]string{"list"}, args...)...).out, "\n\n")
		return line
	}
	assert.Equal(t, root+"/real", first("real"))
	assert.Equal(t, root, first("real", ".."))
	assert.Equal(t, root+"/real/folder", first("real", "folder/file"))
	assert.Equal(t, root+"/short, which leads to "+root+"/real/folder", first("", "short"))
	assert.Equal(t, root+"\n"+root+"/real", first("", ".", "real"))
}

// One colour marks what is refused, different, missing or goes for good, and the word says it too.
func TestWarningsHaveAColour(t *testing.T) {
	root := tree(t, "a/one", "a/two", "b/one", "taken/one")
	require.NoError(t, os.WriteFile(filepath.Join(root, "b/one"), []byte("longer"), 0o600))
	const brick = "\x1b[38;5;131m"
	for line, word := range map[string]string{
		"act remove a/one --for-good":   "remove for good",
		"act move a/one --into taken":   "refused: that name is taken already",
		"compare a b":                   "altered",
		"compare b a":                   "altered",
		"compare a b where name is two": "removed",
	} {
		words := strings.Fields(line)
		assert.Contains(t, run(t, root, append(words, "--colour", "always")...).out, brick+word, line)
		plain := run(t, root, append(words, "--colour", "never")...).out
		assert.Contains(t, plain, word, line)
		assert.NotContains(t, plain, "\x1b", line)
	}
	assert.NotContains(t, run(t, root, "act", "remove", "a/one", "--colour", "always").out, brick, "what goes into the trash can come back")
}

// Heading and footer of an answer fit the screen, at any width, and no path in them is broken.
func TestHeadingsFit(t *testing.T) {
	root := tree(t, "a/one", "a/two", "b/one", "b/two")
	run(t, root, "record", "a", "--label", "shelf", "--ledger", "l.sqlite")
	for _, line := range []string{"weigh a --since @shelf --ledger l.sqlite", "compare @shelf a --ledger l.sqlite", "duplicates --empty", "act journal", "weigh", "outline"} {
		for _, width := range []int{60, 80, 110} {
			out := onTerminal(t, command(t, root, append(strings.Fields(line), "--colour", "never")...), uint16(width), 50)
			for row := range strings.Lines(out) {
				row = strings.TrimRight(row, "\r\n")
				if row = strings.TrimPrefix(strings.TrimPrefix(row, "A  "), "B  "); !strings.HasPrefix(row, root) {
					assert.LessOrEqual(t, utf8.RuneCountInString(row), width, "%s at %d: %s", line, width, row)
				}
			}
			assert.Regexp(t, `(?m)`+regexp.QuoteMeta(root)+`|journal`, out, line)
		}
	}
}
