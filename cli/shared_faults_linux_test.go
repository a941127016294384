package cli_test

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/internal/long"
	"frankledger/internal/testpg"
)

// sharedLedger is a new database with a ledger, and what runs the program on it.
func sharedLedger(t *testing.T) (database string, on func(dir string, args ...string) result) {
	database = testpg.Database(t)
	require.Zero(t, run(t, "/", "ledger", "prepare", database).status)
	return database, func(dir string, args ...string) result {
		cmd := command(t, dir, args...)
		cmd.Env = append(cmd.Env, "FRANK_LEDGER="+database)
		return finish(t, cmd)
	}
}

// A disk of the server that is full ends a record, of which nothing stays.
func TestSharedLedgerWithAFullDiskLong(t *testing.T) {
	long.Test(t)
	t.Parallel()
	database := testpg.Database(t)
	disk := t.TempDir()
	uid, gid := testpg.Account()
	if err := unix.Mount("tmpfs", disk, "tmpfs", 0, fmt.Sprintf("size=64m,mode=0700,uid=%d,gid=%d", uid, gid)); err != nil {
		t.Skip("no file system can be mounted here: ", err)
	}
	t.Cleanup(func() { unix.Unmount(disk, unix.MNT_DETACH) })
	require.NoError(t, os.Chmod(filepath.Dir(disk), 0o755)) // the server goes there, too
	u, err := url.Parse(database)
	require.NoError(t, err)
	name := strings.TrimPrefix(u.Path, "/") + "full"
	statement(t, database, "CREATE TABLESPACE "+name+" LOCATION '"+disk+"'")
	statement(t, database, "CREATE DATABASE "+name+" TABLESPACE "+name)
	t.Cleanup(func() {
		conn, err := pgconn.Connect(context.Background(), database)
		require.NoError(t, err)
		defer conn.Close(context.Background())
		assert.NoError(t, conn.Exec(context.Background(), "DROP DATABASE "+name+" WITH (FORCE)").Close())
		assert.NoError(t, conn.Exec(context.Background(), "DROP TABLESPACE "+name).Close())
	})
	u.Path = "/" + name
	r := run(t, "/", "ledger", "prepare", u.String())
	require.Zero(t, r.status, r.err)
	small, large := tree(t, "a", "b/c"), t.TempDir()
	for i := range 60_000 {
		path := filepath.Join(large, string(rune('a'+i%26)), strings.Repeat("x", 20)+string(rune('a'+i/26%26))+string(rune('a'+i/676%26))+string(rune('a'+i/17576)))
		if i < 26 {
			require.NoError(t, os.Mkdir(filepath.Dir(path), 0o755))
		}
		require.NoError(t, os.WriteFile(path, nil, 0o644))
	}
	on := func(dir string, args ...string) result {
		cmd := command(t, dir, args...)
		cmd.Env = append(cmd.Env, "FRANK_LEDGER="+u.String())
		return finish(t, cmd)
	}
	require.Zero(t, on(small, "record", ".", "--label", "small").status)
	// The server may take of the rest at any time. So the disk is filled to its end, and some is given back.
	filler := filepath.Join(disk, "filler")
	f, err := os.OpenFile(filler, os.O_CREATE|os.O_WRONLY, 0o600)
	require.NoError(t, err)
	zeros, err := os.Open("/dev/zero")
	require.NoError(t, err)
	t.Cleanup(func() { zeros.Close() })
	written, err := io.CopyN(f, zeros, 64<<20)
	require.ErrorIs(t, err, unix.ENOSPC)
	require.NoError(t, f.Truncate(written-512<<10))
	require.NoError(t, f.Close())
	r = on(large, "record", ".", "--label", "large", "--checksum", "sha512")
	require.Equal(t, 4, r.status, r.out)
	assert.Contains(t, r.err, "no space left; nothing was changed")
	require.NoError(t, os.Remove(filler))
	require.NoError(t, os.WriteFile(filepath.Join(small, "d"), nil, 0o644))
	r = on(small, "record", ".", "--label", "small")
	require.Zero(t, r.status, r.err)
	r = on("/", "ledger", "check")
	assert.Zero(t, r.status, r.err)
	assert.Contains(t, r.out, "2 records")
}

// Who is kept waiting by another writer of the same machine gives up after a time, and says so; those of
// others do not wait.
func TestSharedLedgerWaits(t *testing.T) {
	database, on := sharedLedger(t)
	root := tree(t, "a")
	require.Zero(t, on(root, "record", ".", "--label", "l").status)
	host, err := os.Hostname()
	require.NoError(t, err)
	conn, err := pgconn.Connect(t.Context(), database)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	require.NoError(t, conn.Exec(t.Context(), "BEGIN; SELECT frank.change('"+host+"', NULL)").Close())
	database += "&lock_timeout=300"
	cmd := command(t, root, "record", ".", "--label", "l", "--ledger", database)
	r := finish(t, cmd)
	require.Equal(t, 4, r.status, r.out)
	assert.Contains(t, r.err, "another program has been using the ledger")
	assert.Zero(t, on(root, "list", "@l").status, "readers do not wait")
	for _, m := range fleetOn(t, database, "unhindered") {
		r := finish(t, m.command(t, "record", m.root, "--label", "srv"))
		require.Zero(t, r.status, r.err)
	}
	go func() {
		for {
			waiting, err := first(database, "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND now() - query_start > interval '2500 milliseconds'")
			if err != nil || waiting != "0" {
				break
			}
			time.Sleep(100 * time.Millisecond)
		}
		conn.Exec(context.Background(), "ROLLBACK").Close()
	}()
	r = on(root, "record", ".", "--label", "l")
	require.Zero(t, r.status, r.err)
	assert.Contains(t, r.err, "waiting for another program that is writing records of "+host)
}

// first returns the first value that a query has.
func first(database, query string) (string, error) {
	conn, err := pgconn.Connect(context.Background(), database)
	if err != nil {
		return "", err
	}
	defer conn.Close(context.Background())
	results, err := conn.Exec(context.Background(), query).ReadAll()
	if err != nil {
		return "", err
	}
	return string(results[0].Rows[0][0]), nil
}

// Two machines that have one name are told of it.
func TestSharedLedgerTellsNamesakes(t *testing.T) {
	if _, err := os.ReadFile("/etc/machine-id"); err != nil {
		t.Skip("this machine has no identity: ", err)
	}
	database, on := sharedLedger(t)
	root := tree(t, "a")
	for range 2 {
		r := on(root, "record", ".", "--label", "l")
		require.Zero(t, r.status, r.err)
		assert.Empty(t, r.err)
	}
	statement(t, database, "UPDATE frank.host SET machine = 'another machine'")
	r := on(root, "record", ".", "--label", "l")
	require.Zero(t, r.status, r.err)
	assert.Contains(t, r.err, "another machine has recorded as")
	r = on(root, "record", ".", "--label", "l")
	assert.Empty(t, r.err)
}

// What the database's own programs saved and brought back is the same ledger, with the same rights.
func TestSharedLedgerIsRestored(t *testing.T) {
	t.Parallel()
	database, on := sharedLedger(t)
	root := tree(t, "a", "b/c", "b/\xff\n")
	m := fleetOn(t, database, "kept")[0]
	for i := range 3 {
		require.NoError(t, os.WriteFile(filepath.Join(root, "a"), []byte(strings.Repeat("x", i)), 0o644))
		require.Zero(t, on(root, "record", ".", "--label", "l", "--checksum", "sha256").status)
	}
	require.Zero(t, finish(t, m.command(t, "record", root, "--label", "l")).status)
	dump := filepath.Join(t.TempDir(), "dump.sql")
	out, err := exec.Command(filepath.Join(testpg.Programs(), "pg_dump"), "--file", dump, database).CombinedOutput()
	require.NoError(t, err, string(out))
	restored := testpg.Database(t)
	out, err = exec.Command(filepath.Join(testpg.Programs(), "psql"), "--quiet", "--set", "ON_ERROR_STOP=1", "--file", dump, restored).CombinedOutput()
	require.NoError(t, err, string(out))
	for _, line := range [][]string{{"ledger", "entries", "--host", "all", "--as", "csv"}, {"list", "@l", "--depth", "all", "--as", "jsonl", "--columns", "all"}, {"compare", "@l:2", "@l"}, {"ledger", "admissions", "--as", "csv"}} {
		a, b := on("/", line...), run(t, "/", append(line, "--ledger", restored)...)
		assert.Equal(t, a.status, b.status, b.err)
		age := regexp.MustCompile(`"age":\d+`) // it grows
		assert.Equal(t, age.ReplaceAllString(a.out, ""), age.ReplaceAllString(b.out, ""), line)
	}
	r := run(t, "/", "ledger", "check", "--host", "all", "--ledger", restored)
	assert.Zero(t, r.status, r.err)
	u, err := url.Parse(restored)
	require.NoError(t, err)
	u.User = url.User("kept")
	m.ledger = u.String()
	r = finish(t, m.command(t, "record", root, "--label", "l"))
	require.Zero(t, r.status, r.err)
	r = run(t, root, "record", ".", "--label", "l", "--ledger", m.ledger)
	assert.Equal(t, 4, r.status, "it may record nothing else")

	// And so is one that was exported and imported, once.
	lines := filepath.Join(t.TempDir(), "lines")
	require.Zero(t, on("/", "ledger", "export", "--host", "all", "--to", lines).status)
	other, into := sharedLedger(t)
	require.Zero(t, into(root, "record", "b", "--label", "first").status, "so that numbers are taken")
	r = into("/", "ledger", "import", lines)
	require.Zero(t, r.status, r.err)
	assert.Equal(t, on("/", "list", "@l", "--host", "all", "--depth", "all", "--as", "csv").out, into("/", "list", "@l", "--host", "all", "--depth", "all", "--as", "csv").out)
	r = into("/", "ledger", "import", lines)
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "already has records of that place")
	r = into("/", "ledger", "check", "--host", "all", "--ledger", other)
	assert.Zero(t, r.status, r.err)
}
