package cli_test

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frankledger/cli"
	"frankledger/internal/browser"
	"frankledger/internal/long"
	"frankledger/internal/testdisk"
	"frankledger/internal/testpg"
)

// frank is the built program that the tests drive.
var frank string

// often is how often to try something at random, or ten times that with -long.
func often(n int) int {
	if long.Wanted() {
		return 10 * n
	}
	return n
}

func TestMain(m *testing.M) {
	if os.Getenv("FRANK_WRITE_SLOWLY") != "" { // for TestSecondCtrlCEndsAWriter
		cli.WriteSlowly()
		return
	}
	if os.Getenv(workerVariable) != "" {
		work()
		return
	}
	testdisk.Use()
	// Most tests wait: for programs, servers, a browser. So more run at once than there are cores.
	flag.Parse()
	if f := flag.Lookup("test.parallel"); f.Value.String() == f.DefValue {
		f.Value.Set("6")
	}
	os.Exit(build(m))
}

func build(m *testing.M) int {
	folder, err := os.MkdirTemp("", "frank-test-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil { // other users run it too
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	frank = filepath.Join(folder, "frank")
	cmd := exec.Command("go", append(append([]string{"build"}, raceFlags...), "-o", frank, "frankledger/cmd/frank")...)
	cmd.Env = append(os.Environ(), "CGO_ENABLED="+map[bool]string{true: "1", false: "0"}[raceFlags != nil])
	if out, err := cmd.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "%s%s\n", out, err)
		return 1
	}
	defer testpg.Stop()
	defer browser.Stop()
	defer stopWorkers()
	return m.Run()
}

// result is what a run of the program gave.
type result struct {
	out, err string
	status   int
}

// takesLong skips a test that takes long where the program is slowed down, and in which what runs at
// once is nothing that others have not.
func takesLong(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes long")
	}
}

// command prepares a run in a folder, with a configuration of its own and
// nothing of the person's environment that could change the answer.
func command(t *testing.T, dir string, args ...string) *exec.Cmd {
	cmd := exec.Command(frank, args...)
	cmd.Dir = dir
	home := t.TempDir()
	cmd.Env = []string{"PATH=" + os.Getenv("PATH"), "HOME=" + home, "TZ=UTC", "TERM=xterm-256color"}
	if raceFlags != nil {
		cmd.Env = append(cmd.Env, "GORACE=atexit_sleep_ms=0 halt_on_error=1")
	}
	return cmd
}

// finish runs a command line to its end.
func finish(t *testing.T, cmd *exec.Cmd) result {
	t.Helper()
	if needsNoProcess(cmd) {
		return inWorker(t, cmd)
	}
	return started(t, cmd)
}

// started runs a command line to its end in a process of its own.
func started(t *testing.T, cmd *exec.Cmd) result {
	t.Helper()
	var out, stderr bytes.Buffer
	if cmd.Stdout == nil {
		cmd.Stdout = &out
	}
	cmd.Stderr = &stderr
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	return result{out.String(), stderr.String(), cmd.ProcessState.ExitCode()}
}

func run(t *testing.T, dir string, args ...string) result {
	return finish(t, command(t, dir, args...))
}

// stranger makes a command run as a user who is not root, so that permissions
// count.
func stranger(cmd *exec.Cmd) *exec.Cmd {
	if os.Geteuid() == 0 {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 48230, Gid: 48230}}
	}
	return cmd
}

const moment = "2026-11-23T12:00:00Z"

// ternPoint builds the sample tree with the program.
func ternPoint(t *testing.T) string {
	root := filepath.Join(t.TempDir(), "tern-point")
	r := run(t, t.TempDir(), "demo", "--into", root, "--as-of", moment)
	require.Zero(t, r.status, r.err)
	t.Cleanup(func() { os.Chmod(filepath.Join(root, "sealed"), 0o755) })
	return root
}

// tree makes files, and folders for names that end with a slash, in a new
// folder.
func tree(t *testing.T, names ...string) string {
	root := t.TempDir()
	require.NoError(t, os.Chmod(filepath.Dir(root), 0o755)) // for other users
	for _, name := range names {
		path := filepath.Join(root, name)
		if strings.HasSuffix(name, "/") {
			require.NoError(t, os.MkdirAll(path, 0o755))
			continue
		}
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(name), 0o644))
	}
	return root
}

// manyFiles is a folder of some ten thousand files and folders that every machine has
// which runs this: the one that Go is in.
func manyFiles(t *testing.T) string {
	t.Helper()
	out, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)
	return strings.TrimSpace(string(out))
}

// age makes a file modified some hours ago.
func age(t *testing.T, path string, hours int) {
	t.Helper()
	at := time.Now().Add(-time.Duration(hours) * time.Hour)
	require.NoError(t, os.Chtimes(path, at, at))
}
