package postgres

import (
	"context"
	"regexp"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// beginReading begins a transaction that reads one snapshot.
const beginReading = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY"

// atOnce is how long more connections are waited for.
const atOnce = 250 * time.Millisecond

// mostParallel is how many connections there are at most beside the first.
const mostParallel = 3

// parallel are more connections to read by at the same time, of the same snapshot. That takes
// a server that exports its snapshots (PostgreSQL's pg_export_snapshot) and connections to the same one;
// else there are none.
type parallel struct {
	mu       sync.Mutex
	wide     bool   // there may be some
	snapshot string // to be read at; "" for none
	idle     []*parallelConn
	count    int // with those that are in use
}

// parallelConn is one of them.
type parallelConn struct {
	connection
	snapshot string // that it reads at
}

// Wide implements store.Store.
func (d *database) Wide() {
	d.parallel.mu.Lock()
	defer d.parallel.mu.Unlock()
	d.parallel.wide = true
}

// snapshotName is how a snapshot is named: it goes into a statement as it is.
var snapshotName = regexp.MustCompile(`^[0-9A-F-]+$`)

// open has connections be made from now on that read as the first one does.
func (l *parallel) open(ctx context.Context, first connection) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if !l.wide {
		return
	}
	if first.one(ctx, "SELECT pg_export_snapshot()", nil, &l.snapshot) != nil || !snapshotName.MatchString(l.snapshot) {
		l.snapshot = ""
		first.run(ctx, "ROLLBACK; "+beginReading) // what does not know that statement has ended the transaction
	}
}

// take returns a connection, nil if there is none to be had.
func (l *parallel) take(ctx context.Context, config *pgconn.Config) *parallelConn {
	l.mu.Lock()
	defer l.mu.Unlock()
	if n := len(l.idle); n > 0 {
		one := l.idle[n-1]
		l.idle = l.idle[:n-1]
		return one
	}
	if !l.wide || l.snapshot == "" || l.count == mostParallel {
		return nil
	}
	// Only if it is there at once: a pooler has a connection wait until another one is given back, and so
	// would all askers wait for each other.
	ctx, stop := context.WithTimeout(ctx, atOnce)
	defer stop()
	conn, err := connectTo(ctx, config)
	if err == nil {
		err = conn.run(ctx, beginReading+"; SET TRANSACTION SNAPSHOT '"+l.snapshot+"'")
	}
	if err != nil { // there is no room for more, or it is another server
		if conn.PgConn != nil {
			conn.close()
		}
		l.wide = false
		return nil
	}
	l.count++
	return &parallelConn{conn, l.snapshot}
}

// back gives a connection back.
func (l *parallel) back(one *parallelConn) {
	l.mu.Lock()
	defer l.mu.Unlock()
	switch {
	case one.snapshot != l.snapshot: // that is over
		one.close()
	case one.IsClosed():
		l.count--
	default:
		l.idle = append(l.idle, one)
	}
}

// close ends all of them.
func (l *parallel) close() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, one := range l.idle {
		one.close()
	}
	l.idle, l.count, l.snapshot = nil, 0, ""
}
