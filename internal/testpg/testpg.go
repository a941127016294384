// Package testpg starts a PostgreSQL server for tests: one for all tests of a package, in a
// folder of its own, which only they can reach.
package testpg

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/require"
)

// Account is who the server runs as: it refuses to be root, and to be nobody that the system knows.
func Account() (uid, gid int) {
	for _, name := range []string{"postgres", "nobody"} {
		if u, err := user.Lookup(name); err == nil {
			uid, _ = strconv.Atoi(u.Uid)
			gid, _ = strconv.Atoi(u.Gid)
			return uid, gid
		}
	}
	return 65534, 65534
}

var server struct {
	once   sync.Once
	err    error
	folder string
	socket string
	port   int
	next   atomic.Int64
	stop   func()

	prepare    sync.Once
	prepared   string
	prepareErr error
}

// Programs returns where the programs of PostgreSQL are, "" if there are none: in the folder that
// FRANK_TEST_POSTGRES_PROGRAMS names, or where Debian has them.
func Programs() string {
	if named := os.Getenv("FRANK_TEST_POSTGRES_PROGRAMS"); named != "" {
		return named
	}
	folders, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	for _, folder := range folders {
		if _, err := os.Stat(filepath.Join(folder, "initdb")); err == nil {
			return folder
		}
	}
	return ""
}

// Database returns the connection string of a new, empty database, of which the login is the
// owner. Where there is no server to start, the test is skipped.
func Database(t testing.TB) string {
	if testing.Short() {
		t.Skip("a database server takes long to start")
	}
	if Programs() == "" {
		t.Skip("PostgreSQL is not installed (Debian's package postgresql)")
	}
	name, err := New()
	require.NoError(t, err)
	return name
}

// New returns the connection string of a new, empty database.
func New() (string, error) { return newFrom("template1") }

// Prepared returns the connection string of a new database like one that was prepared when this was
// first called, which makes it much faster than to prepare each. Roles are those of that first one.
func Prepared(prepare func(name string) error) (string, error) {
	server.prepare.Do(func() {
		var name string
		if name, server.prepareErr = New(); server.prepareErr == nil {
			server.prepareErr = prepare(name)
		}
		u, _ := url.Parse(name)
		server.prepared = strings.TrimPrefix(u.Path, "/")
	})
	if server.prepareErr != nil {
		return "", server.prepareErr
	}
	return newFrom(server.prepared)
}

func newFrom(template string) (string, error) {
	server.once.Do(func() { server.err = start() })
	if server.err != nil {
		return "", server.err
	}
	name := fmt.Sprint("test", server.next.Add(1))
	ctx := context.Background()
	conn, err := pgconn.Connect(ctx, Named("postgres"))
	if err != nil {
		return "", err
	}
	defer conn.Close(ctx)
	return Named(name), conn.Exec(ctx, "CREATE DATABASE "+name+" TEMPLATE "+template).Close()
}

// Named is the connection string of a database of the server.
func Named(database string) string {
	return (&url.URL{Scheme: "postgresql", User: url.User("owner"), Path: "/" + database, RawQuery: url.Values{"host": {server.socket}, "port": {strconv.Itoa(server.port)}}.Encode()}).String()
}

// Stop ends the server, if one was started. It is for TestMain.
func Stop() {
	if server.stop != nil {
		server.stop()
	}
}

func as(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(filepath.Join(Programs(), name), args...)
	cmd.Dir = server.folder
	cmd.Env = []string{"PATH=/usr/bin:/bin", "LC_ALL=C", "TZ=UTC", "HOME=" + server.folder}
	cmd.SysProcAttr = &syscall.SysProcAttr{}
	if os.Geteuid() == 0 {
		uid, gid := Account()
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	}
	return cmd
}

func start() (err error) {
	if server.folder, err = os.MkdirTemp("", "frank-test-pg"); err != nil {
		return err
	}
	folder := server.folder
	remove := func() { os.RemoveAll(folder) }
	server.socket, server.port = folder, 54321
	if os.Geteuid() == 0 {
		uid, gid := Account()
		if err := os.Chown(folder, uid, gid); err != nil {
			return err
		}
	}
	if err := os.Chmod(folder, 0o700); err != nil {
		return err
	}
	data := filepath.Join(folder, "data")
	if out, err := as("initdb", "-D", data, "-U", "owner", "-A", "trust", "-E", "UTF8", "--no-sync", "--locale=C").CombinedOutput(); err != nil {
		remove()
		return fmt.Errorf("initdb: %w: %s", err, out)
	}
	cmd := as("postgres", "-D", data, "-k", folder, "-p", strconv.Itoa(server.port), "-c", "listen_addresses=", "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off",
		"-c", "max_connections=300", "-c", "shared_buffers=64MB", "-c", "logging_collector=off")
	log, err := os.Create(filepath.Join(folder, "log"))
	if err != nil {
		return err
	}
	defer log.Close()
	cmd.Stdout, cmd.Stderr = log, log
	dieWithTests(cmd.SysProcAttr)
	if err := cmd.Start(); err != nil {
		remove()
		return err
	}
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	server.stop = func() {
		cmd.Process.Signal(syscall.SIGQUIT)
		select {
		case <-ended:
		case <-time.After(10 * time.Second):
			cmd.Process.Kill()
		}
		remove()
	}
	for begun := time.Now(); time.Since(begun) < 30*time.Second; time.Sleep(50 * time.Millisecond) {
		conn, err := pgconn.Connect(context.Background(), Named("postgres"))
		if err == nil {
			return conn.Close(context.Background())
		}
		select {
		case err := <-ended:
			text, _ := os.ReadFile(filepath.Join(folder, "log"))
			return fmt.Errorf("the server ended: %w: %s", err, text)
		default:
		}
	}
	return fmt.Errorf("the server did not start in half a minute")
}
