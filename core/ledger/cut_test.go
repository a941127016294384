package ledger_test

import (
	"encoding/binary"
	"io"
	"math/rand/v2"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/store/postgres"
	"frankledger/core/ledger/upkeep"
	"frankledger/internal/testpg"
)

// cutter passes connections on to a database, and cuts one, once: at a message of the client,
// before it goes through or behind it, so that the answer is lost.
type cutter struct {
	mu     sync.Mutex
	at     int // counted down by messages; 0 for not at all
	behind bool
	cut    bool
	// late has the first commit go through only a second after the client has lost the
	// connection.
	late bool
}

// next counts a message, and reports whether to cut there.
func (c *cutter) next() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at--
	c.cut = c.cut || c.at == 0
	return c.at == 0
}

// serve listens, and returns the connection string of the database by this way.
func (c *cutter) serve(t *testing.T, database string) string {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { listener.Close() })
	u, err := url.Parse(database)
	require.NoError(t, err)
	query := u.Query()
	socket := filepath.Join(query.Get("host"), ".s.PGSQL."+query.Get("port"))
	go func() {
		for {
			client, err := listener.Accept()
			if err != nil {
				return
			}
			server, err := net.Dial("unix", socket)
			if err != nil {
				client.Close()
				continue
			}
			go func() { io.Copy(client, server); client.Close() }()
			go func() {
				c.pass(client, server)
				client.Close()
				server.Close()
			}()
		}
	}()
	port := listener.Addr().(*net.TCPAddr).Port
	return (&url.URL{Scheme: "postgresql", User: u.User, Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(port)), Path: u.Path, RawQuery: "sslmode=disable"}).String()
}

// pass passes on what the client says, message by message (PostgreSQL, Frontend/Backend Protocol
// 3.0: a byte for the type, but not in the first, and the length of the rest).
func (c *cutter) pass(client, server net.Conn) {
	for first := true; ; first = false {
		head := make([]byte, 5)
		if first {
			head = head[1:]
		}
		if _, err := io.ReadFull(client, head); err != nil {
			return
		}
		body := make([]byte, binary.BigEndian.Uint32(head[len(head)-4:])-4)
		if _, err := io.ReadFull(client, body); err != nil {
			return
		}
		if rand.IntN(50) == 0 { // and some are late
			time.Sleep(rand.N(10 * time.Millisecond))
		}
		if c.late && string(body) == "COMMIT\x00" {
			c.late, c.cut = false, true
			client.Close()
			time.Sleep(time.Second)
			server.Write(append(head, body...))
			time.Sleep(time.Second) // before it is hung up on, too
			return
		}
		cut := c.next()
		if cut && !c.behind {
			return
		}
		if _, err := server.Write(append(head, body...)); err != nil {
			return
		}
		if cut { // the server has it, and its answer gets lost
			client.Close()
			return
		}
	}
}

// A commit that is still on its way when its answer is given up is waited for, and not done
// again: the record is there once.
func TestCommitOnItsWay(t *testing.T) {
	t.Parallel()
	if os.Getenv(onPostgres) != "" {
		t.Skip("it makes databases of its own")
	}
	database := testpg.Database(t)
	_, _, err := postgres.Prepare(t.Context(), database)
	require.NoError(t, err)
	root := t.TempDir()
	c := &cutter{late: true}
	l, err := ledger.Create(t.Context(), c.serve(t, database))
	require.NoError(t, err)
	defer l.Close()
	record(t, l, "l", root)
	assert.True(t, c.cut)
	straight, err := ledger.Create(t.Context(), database)
	require.NoError(t, err)
	defer straight.Close()
	for range 2 {
		records, err := straight.Records(t.Context())
		require.NoError(t, err)
		assert.Len(t, records, 1)
		time.Sleep(1500 * time.Millisecond)
	}
}

// Whenever the connection is cut, a record is written once, and whole.
func TestConnectionCut(t *testing.T) {
	t.Parallel()
	if os.Getenv(onPostgres) != "" {
		t.Skip("it makes databases of its own")
	}
	database := testpg.Database(t)
	_, _, err := postgres.Prepare(t.Context(), database)
	require.NoError(t, err)
	root := t.TempDir()
	straight, err := ledger.Create(t.Context(), database)
	require.NoError(t, err)
	defer straight.Close()
	written, every := 0, 36/fewer(12) // which messages are cut in each run: one of 12 or, with time, of 3
	for _, behind := range []bool{false, true} {
		for at := 1 + rand.IntN(every); ; at += every {
			require.NoError(t, writeFile(filepath.Join(root, "in", strconv.Itoa(written%7)), written))
			c := &cutter{behind: behind}
			l, err := ledger.Create(t.Context(), c.serve(t, database))
			require.NoError(t, err)
			c.mu.Lock()
			c.at = at
			c.mu.Unlock()
			r := record(t, l, "l", root)
			l.Close()
			written++
			records, err := straight.Records(t.Context())
			require.NoError(t, err)
			require.Len(t, records, written, "cut at message %d, behind it %v", at, behind)
			assert.Equal(t, kernel(t, root), recorded(t, straight, r))
			if !c.cut {
				break
			}
		}
	}
	t.Log(written, "records")
	for at := 1 + rand.IntN(every); ; at += every { // and one that is dropped is gone once
		c := &cutter{behind: at%2 == 0}
		l, err := ledger.Create(t.Context(), c.serve(t, database))
		require.NoError(t, err)
		before, err := straight.Records(t.Context())
		require.NoError(t, err)
		c.mu.Lock()
		c.at = at
		c.mu.Unlock()
		require.NoError(t, upkeep.Drop(t.Context(), l, before[rand.IntN(len(before))].Number))
		l.Close()
		after, err := straight.Records(t.Context())
		require.NoError(t, err)
		require.Len(t, after, len(before)-1)
		if !c.cut {
			break
		}
	}
	assert.Greater(t, written, 90/every)
	faults, err := upkeep.Check(t.Context(), straight)
	require.NoError(t, err)
	assert.Empty(t, faults)
}
