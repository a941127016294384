package testpg

import (
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/require"
)

// Pooled returns the connection string of a database by a pooler (PgBouncer, in transaction mode) that has
// so many connections to the server. Where it is not installed, the test is skipped.
func Pooled(t testing.TB, database string, size int) string {
	program, err := exec.LookPath("pgbouncer")
	if err != nil {
		program = "/usr/sbin/pgbouncer"
	}
	if _, err := os.Stat(program); err != nil {
		t.Skip("PgBouncer is not installed (Debian's package pgbouncer)")
	}
	u, err := url.Parse(database)
	require.NoError(t, err)
	folder, err := os.MkdirTemp(server.folder, "pooler")
	require.NoError(t, err)
	// Whoever asks is the owner of the tables.
	settings := fmt.Sprintf(`[databases]
* = host=%s port=%d user=owner
[pgbouncer]
unix_socket_dir = %s
listen_addr =
listen_port = 6432
auth_type = any
pool_mode = transaction
default_pool_size = %d
max_client_conn = 500
logfile = %s
`, server.socket, server.port, folder, size, filepath.Join(folder, "log"))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "settings.ini"), []byte(settings), 0o644))
	cmd := exec.Command(program, filepath.Join(folder, "settings.ini"))
	cmd.SysProcAttr = &syscall.SysProcAttr{}
	if os.Geteuid() == 0 { // which it refuses to be
		uid, gid := Account()
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
		require.NoError(t, os.Chown(folder, uid, gid))
	}
	dieWithTests(cmd.SysProcAttr)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
	})
	u.RawQuery = url.Values{"host": {folder}, "port": {"6432"}}.Encode()
	for begun := time.Now(); ; time.Sleep(20 * time.Millisecond) {
		conn, err := pgconn.Connect(t.Context(), u.String())
		if err == nil {
			conn.Close(t.Context())
			return u.String()
		}
		require.Less(t, time.Since(begun), 10*time.Second, "the pooler does not answer: %v", err)
	}
}
