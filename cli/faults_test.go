package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestMisuse(t *testing.T) {
	root := tree(t, "a", "there.csv")
	for line, says := range map[string]string{
		"list nosuch":                    "nosuch: no such file or directory",
		"list --columns nmae":            "did you mean name?",
		"list --columns name,name":       "name is there twice",
		"list --order modifed":           "did you mean modified?",
		"list --order size/up":           "/reverse",
		"list --as tabel":                "did you mean table?",
		"list --depth 0":                 "--self shows the folder itself",
		"list --depth -3":                "--depth takes a number",
		"list --first 0":                 "--first takes a number from 1 on",
		"list --hidden maybe":            "show, omit or only",
		"list --units stone":             "binary, decimal, bytes, kB",
		"list --times lunar":             "relative, local or utc",
		"list --colour pink":             "auto, always or never",
		"list --page later":              "auto, always or never",
		"list --as-of 2026-13-01":        "no such day",
		"list where":                     "a condition is missing",
		"list --skip [":                  "is not a pattern",
		"list --self --depth 2":          "contradict",
		"list --totals --order none":     "contradict",
		"list --to x --page always":      "contradict",
		"list --replace":                 "--replace needs --to",
		"list --as paths --columns name": "--columns full_path",
		"list --as json --units decimal": "--units works with tables and CSV",
		"list --to there.csv":            "exists already; --replace",
		"list --colum name":              "did you mean --columns?",
		"lsit":                           "did you mean list?",
		"help lits":                      "did you mean list?",
		"fields size":                    "takes only options",
		"demo --into .":                  "is not empty",
	} {
		r := run(t, root, strings.Fields(line)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, says, line)
		assert.Empty(t, r.out, line)
	}
}

func TestMissingPlaceAmongOthers(t *testing.T) {
	root := tree(t, "here")
	r := run(t, root, "list", "nosuch", "here", "--as", "paths")
	assert.Equal(t, result{"here\n", "frank: could not find nosuch: no such file or directory\n", 3}, r)
}

func TestUnreadableFolders(t *testing.T) {
	root := tree(t, "open/file", "shut/secret", "names/one", "names/two")
	require.NoError(t, os.Chmod(filepath.Join(root, "shut"), 0))
	require.NoError(t, os.Chmod(filepath.Join(root, "names"), 0o744)) // to be listed, not entered
	defer os.Chmod(filepath.Join(root, "shut"), 0o755)
	if os.Geteuid() != 0 {
		require.NoError(t, os.Chmod(filepath.Join(root, "names"), 0o400))
		defer os.Chmod(filepath.Join(root, "names"), 0o755)
	}
	r := finish(t, stranger(command(t, root, "list", "--depth", "all", "--as", "json")))
	assert.Equal(t, 3, r.status)
	assert.Equal(t, "frank: could not look at what is in the folder ./names (2 entries): permission denied\n"+
		"frank: could not open the folder ./shut: permission denied\n", r.err)
	var document struct {
		Entries  []map[string]any
		Summary  map[string]any
		Problems []map[string]any
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &document))
	assert.Len(t, document.Entries, 6)
	assert.Equal(t, false, document.Summary["complete"])
	assert.Equal(t, 3.0, document.Summary["unread"])
	assert.Equal(t, map[string]any{"path": "./shut", "tried": "open the folder", "reason": "permission denied", "entries": 1.0}, document.Problems[1])

	r = finish(t, stranger(command(t, root, "list", "--totals", "--as", "jsonl", "--columns", "path,size")))
	assert.Equal(t, 3, r.status)
	assert.Nil(t, byPath(t, r.out, "size")["./shut"], "an unknown total is not shown as nothing")
	r = finish(t, stranger(command(t, root, "list", "--quiet")))
	assert.Contains(t, r.out, "shut", "the folder is there, only not what is in it")
	assert.Zero(t, r.status)
}

func TestFullDisk(t *testing.T) {
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skipf("no device that is always full: %v", err)
	}
	defer full.Close()
	for _, format := range []string{"table", "json", "paths"} {
		cmd := command(t, tree(t, "a", "b"), "list", "--as", format)
		cmd.Stdout = full
		r := finish(t, cmd)
		assert.Equal(t, 4, r.status)
		assert.Contains(t, r.err, "no space left on device")
	}
}

// A reader that has seen enough ends it quietly.
func TestClosedPipe(t *testing.T) {
	t.Parallel()
	for _, order := range []string{"none", "name"} {
		cmd := command(t, "/", "list", manyFiles(t), "--depth", "all", "--as", "paths", "--order", order)
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		var stderr strings.Builder
		cmd.Stderr = &stderr
		require.NoError(t, cmd.Start())
		_, err = out.Read(make([]byte, 10))
		require.NoError(t, err)
		out.Close()
		require.NoError(t, cmd.Wait())
		assert.Empty(t, stderr.String())
	}
}

// Ctrl-C ends it with 130, even while a reader takes nothing, and leaves
// nothing half-written.
func TestInterrupt(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	cmd := command(t, folder, "list", manyFiles(t), "--depth", "all", "--as", "paths", "--order", "none")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	_, err = out.Read(make([]byte, 1)) // it is writing now, and stays stuck
	require.NoError(t, err)
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	cmd.Wait()
	assert.Equal(t, 130, cmd.ProcessState.ExitCode())

	cmd = command(t, folder, "list", manyFiles(t), manyFiles(t), manyFiles(t), "--depth", "all", "--columns", "all", "--as", "csv", "--to", "answer.csv")
	var stderr strings.Builder
	cmd.Stderr = &stderr
	require.NoError(t, cmd.Start())
	require.Eventually(t, func() bool { // it has begun to write
		open, _ := filepath.Glob(fmt.Sprintf("/proc/%d/fd/*", cmd.Process.Pid)) // the file has no name yet
		return slices.ContainsFunc(open, func(fd string) bool { to, _ := os.Readlink(fd); return strings.HasPrefix(to, folder) })
	}, time.Minute, time.Millisecond)
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	cmd.Wait()
	assert.Equal(t, 130, cmd.ProcessState.ExitCode())
	if raceFlags == nil { // which is too slow to stop in order within a second
		assert.Contains(t, stderr.String(), "stopped")
	}
	left, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestToFile(t *testing.T) {
	root := tree(t, "a", "b")
	r := run(t, root, "list", "--hidden", "show", "--as", "paths", "--to", "list.txt")
	assert.Equal(t, result{}, r)
	read := func() string {
		content, err := os.ReadFile(filepath.Join(root, "list.txt"))
		require.NoError(t, err)
		return string(content)
	}
	assert.Equal(t, "./a\n./b\n", read(), "the file is not in its own list")
	assert.Equal(t, 2, run(t, root, "list", "--to", "list.txt").status)
	assert.Zero(t, run(t, root, "list", "a", "--as", "paths", "--to", "list.txt", "--replace").status)
	assert.Equal(t, "a\n", read())
	for _, place := range []string{"no/such/file", "/proc/nothing-can-be-made-here"} {
		r = run(t, root, "list", "--to", place)
		assert.Equal(t, 4, r.status)
		assert.Contains(t, r.err, "no such file or directory")
	}
}

// With few files open at once it still gets everywhere.
func TestFewOpenFiles(t *testing.T) {
	var names []string
	for i := range 60 {
		names = append(names, strings.Repeat("deep/", i)+"x", strings.Repeat("deep/", i)+"y/z")
	}
	root := tree(t, names...)
	cmd := command(t, root, "-c", `ulimit -n 64; exec "$0" list --depth all --as csv`, frank)
	cmd.Path, _ = exec.LookPath("sh")
	r := finish(t, cmd)
	assert.Zero(t, r.status, r.err)
	assert.Equal(t, 60*3+59+1, strings.Count(r.out, "\n"))
}

// What cannot be made without rights is said, and the tree is still there.
func TestDemoAsAnyUser(t *testing.T) {
	folder := tree(t)
	require.NoError(t, os.Chmod(folder, 0o777))
	cmd := stranger(command(t, folder, "demo", "--into", "tern-point", "--as-of", moment))
	r := finish(t, cmd)
	assert.Zero(t, r.status, r.err)
	assert.Contains(t, r.out, "not made: a file of an owner without an account")
	assert.Contains(t, r.out, "$ frank list")
	r = finish(t, stranger(command(t, folder, "list", "tern-point/sealed")))
	assert.Equal(t, 3, r.status)
	require.NoError(t, os.Chmod(filepath.Join(folder, "tern-point/sealed"), 0o755))
}

// Loops of links, and entries that come and go while it looks.
func TestLoopsAndVanishing(t *testing.T) {
	root := tree(t, "a/b/file")
	require.NoError(t, os.Symlink("../..", filepath.Join(root, "a/b/up")))
	require.NoError(t, os.Symlink("round", filepath.Join(root, "round")))
	r := run(t, root, "list", "--follow", "--depth", "all", "--as", "json")
	assert.Contains(t, r.out, `"repeated":1`)
	assert.Equal(t, 5, strings.Count(r.out, `"path"`))
	r = run(t, root, "list", "--columns", "name,broken")
	assert.Regexp(t, `round +yes`, r.out)

	stop, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
				os.WriteFile(filepath.Join(root, strconv.Itoa(i%300)), nil, 0o644)
				os.Remove(filepath.Join(root, strconv.Itoa((i+150)%300)))
			}
		}
	}()
	said := false
	for begun := time.Now(); !said && time.Since(begun) < 30*time.Second; {
		r = run(t, root, "list")
		said = strings.Contains(r.err, "it vanished during the run")
		require.Equal(t, said, r.status == 3, r.err)
		require.Equal(t, said, strings.Contains(r.out, "vanished during the run"), r.out)
	}
	close(stop)
	<-stopped
	assert.True(t, said)
}

func TestTerminated(t *testing.T) {
	t.Parallel()
	cmd := command(t, "/", "list", manyFiles(t), "--depth", "all", "--as", "paths", "--order", "none")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	_, err = out.Read(make([]byte, 1))
	require.NoError(t, err)
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	cmd.Wait()
	assert.Equal(t, 130, cmd.ProcessState.ExitCode())
}
