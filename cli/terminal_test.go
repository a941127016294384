package cli_test

import (
	"bytes"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/render"
	"frankledger/render/typeset"
)

// onTerminal runs a command on a pseudo-terminal and returns all that the
// terminal was sent.
func onTerminal(t *testing.T, cmd *exec.Cmd, columns, lines uint16) string {
	terminal, err := pty.StartWithSize(cmd, &pty.Winsize{Cols: columns, Rows: lines})
	require.NoError(t, err)
	defer terminal.Close()
	var sent bytes.Buffer
	io.Copy(&sent, terminal) // ends with an error when the program hangs up
	cmd.Wait()
	return strings.ReplaceAll(sent.String(), "\r\n", "\n")
}

var colour = regexp.MustCompile("\x1b\\[[0-9;]*m")

func TestTableOnTerminal(t *testing.T) {
	root := tree(t, "folder/", "a name that is much too long for so small a screen.wav", "干潟の鳥の声.wav")
	cmd := command(t, root, "list")
	out := onTerminal(t, cmd, 60, 50)
	assert.Regexp(t, colour, out)
	for _, line := range strings.Split(colour.ReplaceAllString(out, ""), "\n") {
		if line != root {
			assert.LessOrEqual(t, typeset.Width(line), 60, line)
		}
	}
	assert.Contains(t, out, "…")
	assert.Contains(t, out, "this screen is too narrow for permissions, owner")

	for _, env := range []string{"NO_COLOR=1", "TERM=dumb"} {
		cmd = command(t, root, "list")
		cmd.Env = append(cmd.Env, env)
		assert.NotContains(t, onTerminal(t, cmd, 60, 50), "\x1b")
	}
	assert.NotRegexp(t, colour, run(t, root, "list").out, "no colour in a file")
	assert.Regexp(t, colour, run(t, root, "list", "--colour", "always").out)
	assert.NotContains(t, onTerminal(t, command(t, root, "list", "--color", "never"), 80, 50), "\x1b")
}

// No name can move the cursor, set the title or break a line of the screen.
func TestNamesCannotActOnTerminal(t *testing.T) {
	root := tree(t, "\x1b]0;title\x07", "two\nlines", "\u009b2J", "\xff", "turn\u202eround")
	for _, format := range render.Names(render.Forms) {
		out := onTerminal(t, command(t, root, "list", "--colour", "never", "--as", format), 100, 50)
		if format == "html" {
			assert.Contains(t, out, "list --colour never --as html --to list.html", "nobody reads it there")
		}
		for _, r := range strings.NewReplacer("\n", "", "\r", "").Replace(out) {
			separator := r == 0 && format == "paths0"
			acts := r < ' ' && !separator || 0x7f <= r && r < 0xa0 || r == 0x202e
			require.False(t, acts, "%s: %q", format, out)
		}
	}
	r := run(t, root, "list", "--as", "paths0")
	assert.Contains(t, r.out, "./\xff\x00", "elsewhere they are exact")
	assert.Contains(t, r.out, "./two\nlines\x00")
}

func TestPager(t *testing.T) {
	var names []string
	for i := range 60 {
		names = append(names, "file-"+strings.Repeat("x", i%7)+string(rune('a'+i%26))+strings.Repeat("y", i/26))
	}
	root := tree(t, names...)
	bin := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(bin, "turn"), []byte("#!/bin/sh\necho paged\ncat\n"), 0o755))
	paged := func(lines uint16, args ...string) bool {
		cmd := command(t, root, append([]string{"list"}, args...)...)
		cmd.Env = append(cmd.Env, "PATH="+bin+":"+os.Getenv("PATH"), "PAGER=turn")
		out := onTerminal(t, cmd, 100, lines)
		assert.Contains(t, out, "file-a")
		return strings.Contains(out, "paged")
	}
	assert.True(t, paged(24))
	assert.False(t, paged(100))
	assert.True(t, paged(100, "--page", "always"))
	assert.False(t, paged(24, "--page", "never"))

	// A pager that is left early ends it quietly.
	cmd := command(t, root, "list", manyFiles(t), "--depth", "all")
	cmd.Env = append(cmd.Env, "PAGER=head -n 3")
	out := onTerminal(t, cmd, 100, 24)
	assert.NotContains(t, out, "frank")
	assert.Zero(t, cmd.ProcessState.ExitCode())
}

func TestProgress(t *testing.T) {
	takesLong(t)
	t.Parallel()
	cmd := command(t, "/", append(slices.Repeat([]string{manyFiles(t)}, 40), "--as", "csv", "--to", "/dev/null")...)
	cmd.Args = slices.Insert(cmd.Args, 1, "weigh") // which reads each of them, though they are the same
	out := onTerminal(t, cmd, 100, 24)
	assert.Regexp(t, `reading: [0-9 ]+ entries in [0-9 ]+ folders, [0-9.]+ [A-Za-z]+, [0-9 ]+ a second; [0-9 ]+ folders? left so far`, out)
	after := out[strings.LastIndex(out, "left so far"):]
	assert.Regexp(t, "\x1b\\[J|\x1b\\[2?K", after, "it is taken away when done")
}

// While content is read, it says how far it has come and how long it will take.
func TestProgressOfContent(t *testing.T) {
	t.Parallel()
	root := tree(t, "big")
	require.NoError(t, os.Truncate(filepath.Join(root, "big"), 1<<30))
	out := onTerminal(t, command(t, root, "checksum", "--algorithm", "md5", "--page", "never"), 100, 24)
	assert.Regexp(t, `reading content: [0-9.]+ [MG]iB of 1.0 GiB, [0-9.]+ [MG]iB a second(, \d+ seconds? left)?`, out)
	after := out[strings.LastIndex(out, "a second"):]
	assert.Regexp(t, "\x1b\\[J|\x1b\\[2?K", after, "it is taken away when done")
}
