package cli_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRead(t *testing.T) {
	t.Parallel()
	root := tree(t, "folder/", "empty")
	long := strings.Repeat("x", 70_000)
	for name, content := range map[string]string{
		"five": "one\ntwo\r\nthree\nfour\nfive", "wide": "\xff\xfeg\x00\xe9\x00\n\x00", "old": "caf\xe9\n", "picture": "\x89PNG\r\n\x1a\n\x00\x00", "long": long + "\nnext\n", "acts": "\x1b[2Jgone\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	require.NoError(t, os.Symlink("five", filepath.Join(root, "link")))
	for _, c := range []struct{ line, out, err string }{
		{"five", "one\ntwo\nthree\nfour\nfive", ""}, {"link", "one\ntwo\nthree\nfour\nfive", ""}, {"five --first 2", "one\ntwo\n", ""}, {"five --last 2", "four\nfive", ""},
		{"five --from 2 --first 1", "two\n", ""}, {"five --from 9", "", ""}, {"five --first 9", "one\ntwo\nthree\nfour\nfive", ""}, {"five --last 9", "one\ntwo\nthree\nfour\nfive", ""},
		{"wide", "gé\n", ""}, {"old", "café\n", "frank: old is not UTF-8 and was read as Latin-1\n"}, {"empty", "empty", ""}, {"long --first 1", long + "\n", ""}, {"long --last 1", "next\n", ""},
		{"picture five --first 1", "one\n", "frank read: picture is not text: image/png, 10 B; frank inspect shows what it is\n"},
		{"folder", "", "frank read: folder is a folder; read shows the text in a file\nfrank list folder\nfrank search folder where kind is file\n"},
		{"gone", "", "frank read: nothing to look at: gone: no such file or directory (frank search gone looks for it in names)\n"}, {"five --first 1 --last 1", "", "frank read: --first and --last contradict each other: show the first lines or the last ones\n  see frank help read\n"},
		{"@weekly", "", "frank read: @weekly is not a file: read shows the text in a file that exists now\n  see frank help read\n"},
		{"", "", "frank read: name a file to read: frank read FILE\n  see frank help read\n"},
	} {
		r := run(t, root, append([]string{"read"}, strings.Fields(c.line)...)...)
		assert.Equal(t, []string{c.out, c.err}, []string{r.out, r.err}, c.line)
	}
	assert.Equal(t, 3, run(t, root, "read", "picture", "five").status)
	assert.Regexp(t, "^processor|^Processor|^vendor|.", run(t, root, "read", "/proc/self/status", "--first", "1").out, "made up as it is read")
	out := onTerminal(t, command(t, root, "read", "acts", "five", "--page", "never"), 80, 24)
	assert.Equal(t, "\\x1b[2Jgone\n— acts: all, 1 line\none\ntwo\nthree\nfour\nfive\n— five: all, 5 lines\n", out)
}

// A text that is longer than the screen is shown a screen at a time, forwards and backwards.
func TestReadPaged(t *testing.T) {
	t.Parallel()
	root := tree(t)
	var text strings.Builder
	for i := range 100 {
		fmt.Fprintf(&text, "line %d\n", i+1)
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "long"), []byte(text.String()), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(root, "other"), []byte(text.String()), 0o644))
	cmd := command(t, root, "read", "long", "other")
	terminal, err := pty.StartWithSize(cmd, &pty.Winsize{Cols: 60, Rows: 10})
	require.NoError(t, err)
	defer terminal.Close()
	sent := make(chan string, 100)
	go func() {
		defer close(sent)
		buf := make([]byte, 64<<10)
		for {
			n, err := terminal.Read(buf)
			if n > 0 {
				sent <- string(buf[:n])
			}
			if err != nil {
				return
			}
		}
	}()
	where := regexp.MustCompile("\x1b\\[7m(.*?)\x1b\\[m")
	screen := func() (first, status string) {
		var all string
		for {
			select {
			case some, more := <-sent:
				if all += some; !more {
					return "", all
				}
			case <-time.After(30 * time.Second):
				require.Fail(t, "nothing more came", "%q", all)
			}
			if m := where.FindStringSubmatch(all); m != nil {
				first, _, _ = strings.Cut(strings.TrimPrefix(all, "\x1b[H\x1b[2J"), "\r\n")
				return first, m[1]
			}
		}
	}
	first, status := screen()
	assert.Equal(t, []string{"line 1", "long  lines 1 to 9, 7 %"}, []string{first, status})
	for _, c := range []struct{ key, first, status string }{
		{" ", "line 10", "long  lines 10 to 18, 17 %"}, {"\x1b[6~", "line 19", "long  lines 19 to 27, 26 %"}, {"\r", "line 20", "long  lines 20 to 28, 27 %"},
		{"\x1b[A", "line 19", "long  lines 19 to 27, 26 %"}, {"\x1b[5~", "line 10", "long  lines 10 to 18, 17 %"}, {"\x1b[F", "line 92", "long  lines 92 to 100, 100 %"},
		{"\x1b[H", "line 1", "long  lines 1 to 9, 7 %"}, {"n", "\r\x1b[K\x1b[H\x1b[2Jline 1", "other  lines 1 to 9, 7 %"},
	} {
		_, err := terminal.WriteString(c.key)
		require.NoError(t, err)
		first, status := screen()
		assert.Equal(t, []string{c.first, c.status}, []string{first, status}, "%q", c.key)
	}
	_, err = terminal.WriteString("q")
	require.NoError(t, err)
	require.NoError(t, cmd.Wait())
}

// The lines that have a text are told, by all commands that choose.
func TestTextInside(t *testing.T) {
	t.Parallel()
	root := tree(t, "a/", "b/")
	for name, content := range map[string]string{
		"a/one.txt": "The tide\nturns\n", "b/one.txt": "the TIDES\n", "a/two.txt": "nothing\n", "a/tide.wav": "RIFF\x00tide", "b/old.txt": "mar\xe9e tide\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(content), 0o644))
	}
	for _, c := range []struct{ line, out string }{
		{"search --as paths where text has tide", "./a/one.txt\n./b/old.txt\n./b/one.txt\n"}, {"search --as paths where text has tide --match-case", "./a/one.txt\n./b/old.txt\n"},
		{"search --as paths where text has maree and text has tide", "./b/old.txt\n"}, {"search --as paths where text matches ^t and not text matches es$", "./a/one.txt\n"},
		{"search --as csv -c name,line,text where text has turn or text has tides", "name,line,text\r\none.txt,2,turns\r\none.txt,1,the TIDES\r\n"},
		{"search --count where text has tide and name has one", "2\n"}, {"search --count where not text has tide and kind is file", "2\n"},
		{"compare a b --as csv -c path where text has tide", ""}, {"tally --as csv --by ext where text has tide", "key,count,size,disk"},
	} {
		out := run(t, root, strings.Fields(c.line)...)
		assert.True(t, strings.HasPrefix(out.out, c.out), "%s: %s%s", c.line, out.out, out.err)
	}
	r := run(t, root, "search", "where", "text", "has", "tide")
	assert.Contains(t, r.out, "a/one.txt     1  The tide\n")
	assert.Regexp(t, `looked for text in 5 files: \d+ B read; 1 is not text; 1 is not UTF-8 and was read as Latin-1\n`, r.out)
	assert.Contains(t, run(t, root, "search", "where", "text", "is", "tide").err, "text can be tested with: has, matches")
	for _, line := range []string{"text missing", "line over 3"} {
		assert.Contains(t, run(t, root, append([]string{"search", "where"}, strings.Fields(line)...)...).err, "to look inside files, write text has")
	}
	assert.Equal(t, 2, run(t, root, "list", "--columns", "line").status, "nothing is looked for")
	require.Zero(t, run(t, root, "record", "--label", "kept", "--ledger", "ledger").status)
	r = run(t, root, "search", "@kept", "--ledger", "ledger", "--count", "where", "text", "has", "tide")
	assert.Equal(t, []any{3, "0\n"}, []any{r.status, r.out}, "what a record does not have is not known: %s", r.err)
	assert.Contains(t, r.err, "could not look up text")
}
