package cli_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/internal/testdisk"
)

// A spare that has changed since it was listed, or of which nothing stays, is not
// removed; one that is as it was goes. Lists of paths only still work, with a word
// of warning.
func TestActSpares(t *testing.T) {
	names := []string{"a/same", "b/same", "a/other", "b/other", "a/third", "b/third", "a/fourth", "b/fourth"}
	fresh := func() *actor {
		a := newActor(t, tree(t, names...))
		for i, name := range names {
			require.NoError(t, os.WriteFile(filepath.Join(a.root, name), []byte(fmt.Sprint("content ", i/2, strings.Repeat("x", 5000))), 0o644))
		}
		return a
	}
	a := fresh()
	a.do(0, "duplicates a b --spares --as jsonl --to ../spares.jsonl")
	in := func(name string) string { return filepath.Join(a.root, name) }
	alter := func(name string) { // behind the clock's back
		info, err := os.Stat(in(name))
		require.NoError(t, err)
		content, err := os.ReadFile(in(name))
		require.NoError(t, err)
		content[0] = '!'
		require.NoError(t, os.WriteFile(in(name), content, 0o644))
		require.NoError(t, os.Chtimes(in(name), info.ModTime(), info.ModTime()))
	}
	out := a.do(0, "act remove @@../spares.jsonl")
	assert.Contains(t, out, "4 steps")
	assert.NotContains(t, out, "refused")
	alter("b/same")
	require.NoError(t, os.Remove(in("a/other")))
	alter("a/third")
	out = a.do(0, "act remove @@../spares.jsonl")
	assert.Regexp(t, `b/same +refused: it has changed since the list was made`, out)
	assert.Regexp(t, `b/other +refused: what was to stay no longer exists`, out)
	assert.Regexp(t, `b/third +refused: what was to stay has changed`, out)
	assert.Contains(t, a.do(3, "act remove @@../spares.jsonl --carry-out --yes"), "1 put into the trash, 3 refused")
	assert.NoFileExists(t, in("b/fourth"))
	for _, name := range []string{"b/same", "b/other", "b/third"} {
		assert.FileExists(t, in(name))
	}

	// What changes between the plan and its carrying out is seen too.
	a = fresh()
	a.do(0, "duplicates a b --spares --as jsonl --to ../later.jsonl")
	a.do(0, "act remove @@../later.jsonl --for-good --to ../plan.json")
	alter("a/same")
	alter("b/other")
	require.NoError(t, os.Remove(in("b/third")))
	require.NoError(t, os.Link(in("a/third"), in("b/third")))
	r := a.run(3, "act", "carry-out", "../plan.json", "--yes")
	assert.Contains(t, r.out, "1 removed for good, 3 failed")
	assert.Contains(t, r.err, "b/same: what was to stay has changed")
	for _, name := range []string{"a/same", "b/same", "b/other", "b/third"} {
		assert.FileExists(t, in(name))
	}

	// Into the trash too.
	a = fresh()
	a.do(0, "duplicates a b --spares --as jsonl --to ../third.jsonl")
	a.do(0, "act remove @@../third.jsonl --to ../trash.json")
	alter("b/same")
	assert.Contains(t, a.run(3, "act", "carry-out", "../trash.json", "--yes").err, "b/same: it has changed since the plan was made")
	assert.FileExists(t, in("b/same"))

	a = fresh()
	a.do(0, "duplicates a b --spares --as paths0 --to ../spares.list")
	out = a.do(0, "act remove @@../spares.list")
	assert.Contains(t, out, "4 steps")
	assert.Contains(t, out, "a list of paths does not say what was there when it was made")
}

// The closing line says only what is so, with the number of the journal.
func TestActSaysWhatIsSo(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs files of another owner")
	}
	a := newActor(t, tree(t, "in/a", "in/b", "shut/c", "d"))
	assert.Contains(t, a.do(0, "act hide in/a --carry-out --yes"), "1 hidden (journal 1); to undo that:\nfrank act undo 1\n")
	assert.Contains(t, a.do(0, "act remove d --for-good --carry-out --yes"), "1 removed for good (journal 2); this cannot be undone\n")
	assert.Contains(t, a.run(2, "act", "hide", "in/b", "--carry-out", "--ask", "each", "--yes").err, "contradict each other")
	require.NoError(t, os.Chmod(filepath.Join(a.root, "shut"), 0o555))
	for dir := a.root; len(dir) > len(os.TempDir()); dir = filepath.Dir(dir) {
		os.Chmod(dir, 0o755)
	}
	require.NoError(t, os.Chown(a.home, 48230, 48230))
	require.NoError(t, os.Chown(filepath.Join(a.home, ".local"), 48230, 48230))
	b := newActor(t, a.root)
	require.NoError(t, os.Chown(b.home, 48230, 48230))
	require.NoError(t, os.Chmod(filepath.Dir(b.home), 0o755))
	require.NoError(t, os.Chmod(filepath.Join(a.root, "shut"), 0o777|os.ModeSticky)) // where only who owns a thing may take it out
	r := finish(t, stranger(b.command("act", "hide", "shut/c", "--carry-out", "--yes")))
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "refused: only its owner may take it out of this folder")

	// What is older than the newest journal is not undone unasked.
	r = a.run(3, "act", "undo")
	assert.Contains(t, r.err, "journal 2, the newest, cannot be undone: it was removed for good")
	assert.Contains(t, r.err, "\nfrank act undo 1\n")
	assert.Contains(t, a.run(2, "act", "undo", "1", "--to", "x").err, "--to and --as go with --plan")
	assert.Contains(t, a.run(0, "act", "undo", "1").out, "journal 1: 1 step undone")
	assert.NotContains(t, a.run(3, "act", "undo").err, "\nfrank act undo ")
}

// What is done in part is told as that: a folder that a signal stops the removal of,
// and one in which something cannot be removed.
func TestActPartly(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		t.Skip("needs files of another owner")
	}
	a := newActor(t, tree(t, "top/a/1", "top/b/2", "top/c/3"))
	for dir := a.root; len(dir) > len(os.TempDir()); dir = filepath.Dir(dir) {
		os.Chmod(dir, 0o755)
	}
	for _, name := range []string{"", "top", "top/a", "top/c"} {
		require.NoError(t, os.Chown(filepath.Join(a.root, name), 48230, 48230))
	}
	require.NoError(t, os.Chown(a.home, 48230, 48230))
	require.NoError(t, os.Chmod(filepath.Dir(a.home), 0o755))
	r := finish(t, stranger(a.command("act", "remove", "top", "--for-good", "--carry-out", "--yes")))
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "refused: b: you may not remove anything from this folder")
	// In a shared folder, what is not one's own stays, which shows only then.
	require.NoError(t, os.Chmod(filepath.Join(a.root, "top/b"), 0o777|os.ModeSticky))
	r = finish(t, stranger(a.command("act", "remove", "top", "--for-good", "--carry-out", "--yes")))
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.out, "0 removed for good, 1 partly done (journal 1); this cannot be undone\n")
	assert.Contains(t, r.err, "remove "+a.root+"/top: partly done: b/2: operation not permitted")
	assert.FileExists(t, filepath.Join(a.root, "top/c/3"))
	r = finish(t, stranger(a.command("act", "journal", "1", "--as", "jsonl")))
	assert.Contains(t, r.out, `"state":"partly done"`)
	assert.Contains(t, r.out, `2 of 7 entries were removed; b/2: operation not permitted`)
	r = finish(t, stranger(a.command("act", "journal", "--as", "jsonl")))
	assert.Contains(t, r.out, `"partly":1`)

	b := newActor(t, tree(t))
	for i := range 12_000 {
		if i%1000 == 0 {
			require.NoError(t, os.MkdirAll(filepath.Join(b.root, "many", fmt.Sprint(i/1000)), 0o755))
		}
		require.NoError(t, os.WriteFile(filepath.Join(b.root, "many", fmt.Sprint(i/1000), fmt.Sprint(i)), nil, 0o644))
	}
	cmd := b.command("act", "remove", "many", "--for-good", "--carry-out", "--yes")
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	require.NoError(t, cmd.Start())
	for deadline := time.Now().Add(20 * time.Second); time.Now().Before(deadline); time.Sleep(time.Millisecond) {
		_, err := os.Lstat(filepath.Join(b.root, "many/0/0"))
		aside, _ := filepath.Glob(filepath.Join(b.root, ".frank-*/0/0"))
		if err != nil && len(aside) == 0 { // it has begun
			break
		}
	}
	cmd.Process.Signal(syscall.SIGINT)
	cmd.Wait()
	assert.Equal(t, 130, cmd.ProcessState.ExitCode(), said.String())
	assert.Contains(t, said.String(), "0 removed for good, 1 partly done (journal 1); this cannot be undone")
	left, err := os.ReadDir(filepath.Join(b.root, "many"))
	require.NoError(t, err)
	assert.NotEmpty(t, left)
	assert.Contains(t, b.do(0, "act journal 1"), "partly done")
}

// A copy to another disk shows how far it is; Ctrl-C ends it, and what was begun is
// taken away; a second one says what it ended.
func TestActStopped(t *testing.T) {
	t.Parallel()
	other := testdisk.Other(t)
	a := newActor(t, tree(t))
	large := filepath.Join(a.root, "large")
	require.NoError(t, exec.Command("sh", "-c", "head -c 700000000 /dev/urandom > "+large).Run())
	before := a.names()
	for _, presses := range []int{1, 2} {
		cmd := a.command("act", "move", "large", "--into", other, "--carry-out", "--yes")
		terminal, err := pty.StartWithSize(cmd, &pty.Winsize{Cols: 100, Rows: 40})
		require.NoError(t, err)
		var sent bytes.Buffer
		room := make([]byte, 4096)
		pressed := false
		for {
			n, err := terminal.Read(room)
			sent.Write(room[:n])
			if err != nil {
				break
			}
			if !pressed && strings.Contains(sent.String(), "copying: ") {
				pressed = true
				for range presses {
					terminal.Write([]byte{3})
				}
			}
		}
		cmd.Wait()
		terminal.Close()
		assert.True(t, pressed, "it was shown how far it is")
		assert.Equal(t, 130, cmd.ProcessState.ExitCode())
		if presses == 1 {
			assert.Contains(t, sent.String(), "act move: stopped")
			left, err := os.ReadDir(other)
			require.NoError(t, err)
			assert.Empty(t, left)
		}
		finish(t, a.command("act", "undo"))
		left, err := os.ReadDir(other)
		require.NoError(t, err)
		assert.Empty(t, left)
		assert.Equal(t, before, a.names())
	}
}
