package cli_test

import (
	"bufio"
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"
)

// What writes is not ended by one Ctrl-C, however long it takes to leave in order, and
// tells what a second one would do; a second one ends it, and tells in the middle of
// what.
func TestSecondCtrlCEndsAWriter(t *testing.T) {
	t.Parallel()
	for _, twice := range []bool{false, true} {
		cmd := exec.Command(os.Args[0])
		cmd.Env = append(os.Environ(), "FRANK_WRITE_SLOWLY=1")
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		said, err := cmd.StderrPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		lines, told := bufio.NewScanner(out), bufio.NewScanner(said)
		require.True(t, lines.Scan())
		require.NoError(t, cmd.Process.Signal(os.Interrupt))
		require.True(t, told.Scan())
		assert.Equal(t, "frank: stopping as soon as possible; press Ctrl-C again to stop in the middle of: recording x", told.Text())
		if !twice {
			require.True(t, lines.Scan())
			assert.Equal(t, "left in order", lines.Text())
			assert.NoError(t, cmd.Wait())
			continue
		}
		require.NoError(t, cmd.Process.Signal(os.Interrupt))
		require.True(t, told.Scan())
		assert.Equal(t, "frank: stopped in the middle of: recording x", told.Text())
		cmd.Wait()
		assert.Equal(t, 130, cmd.ProcessState.ExitCode())
	}
}

// A record, a drop, and what else changes a ledger, stops at once where it only waits
// for another program, and leaves the ledger as it was.
func TestWritersThatWaitStop(t *testing.T) {
	root := tree(t, "a", "b/c")
	file := filepath.Join(t.TempDir(), "ledger")
	require.Zero(t, finish(t, withLedger(t, file, root, "record", "--label", "l")).status)
	require.NoError(t, os.WriteFile(file+".lines", []byte(finish(t, withLedger(t, file, root, "ledger", "export")).out), 0o600))
	db, err := sql.Open("sqlite", file)
	require.NoError(t, err)
	defer db.Close()
	lock, err := db.Conn(t.Context())
	require.NoError(t, err)
	_, err = lock.ExecContext(t.Context(), "BEGIN IMMEDIATE")
	require.NoError(t, err)
	for _, line := range []string{"record --label l", "ledger drop 1 --carry-out --yes", "ledger compact", "ledger import " + file + ".lines"} {
		cmd := withLedger(t, file, root, strings.Fields(line)...)
		var said strings.Builder
		cmd.Stderr = &said
		require.NoError(t, cmd.Start())
		require.Eventually(t, func() bool { // it has the ledger open
			open, _ := filepath.Glob(fmt.Sprintf("/proc/%d/fd/*", cmd.Process.Pid))
			return slices.ContainsFunc(open, func(fd string) bool { to, _ := os.Readlink(fd); return to == file })
		}, time.Minute, time.Millisecond)
		require.NoError(t, cmd.Process.Signal(syscall.SIGINT))
		cmd.Wait()
		assert.Equal(t, 130, cmd.ProcessState.ExitCode(), line)
		assert.Contains(t, said.String(), ": stopped\n", line)
	}
	require.NoError(t, lock.Close())
	require.NoError(t, db.Close())
	assert.Contains(t, finish(t, withLedger(t, file, root, "ledger", "check")).out, "is undamaged: 1 record\n")
}
