package postgres

import (
	"context"
	"regexp"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// beginReading begins a transaction that reads as it was at one moment.
const beginReading = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY"

// atOnce is how long more connections are waited for.
const atOnce = 250 * time.Millisecond

// mostLanes is how many connections there are at most beside the first.
const mostLanes = 3

// lanes are more connections to read by at the same time, as it was at the same moment. That takes
// a server that lends its moments (PostgreSQL's pg_export_snapshot) and connections to the same one;
// else there are none.
type lanes struct {
	mu     sync.Mutex
	wide   bool   // there may be some
	moment string // to be read at; "" for none
	idle   []*lane
	count  int // with those that are in use
}

// lane is one of them.
type lane struct {
	connection
	moment string // that it reads at
}

// Wide implements store.Store.
func (d *database) Wide() {
	d.lanes.mu.Lock()
	defer d.lanes.mu.Unlock()
	d.lanes.wide = true
}

// aMoment is how a moment is named: it goes into a statement as it is.
var aMoment = regexp.MustCompile(`^[0-9A-F-]+$`)

// open has connections be made from now on that read as the first one does.
func (l *lanes) open(ctx context.Context, first connection) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if !l.wide {
		return
	}
	if first.one(ctx, "SELECT pg_export_snapshot()", nil, &l.moment) != nil || !aMoment.MatchString(l.moment) {
		l.moment = ""
		first.run(ctx, "ROLLBACK; "+beginReading) // what does not know that statement has ended the transaction
	}
}

// take returns a connection, nil if there is none to be had.
func (l *lanes) take(ctx context.Context, config *pgconn.Config) *lane {
	l.mu.Lock()
	defer l.mu.Unlock()
	if n := len(l.idle); n > 0 {
		one := l.idle[n-1]
		l.idle = l.idle[:n-1]
		return one
	}
	if !l.wide || l.moment == "" || l.count == mostLanes {
		return nil
	}
	// Only if it is there at once: a pooler has a connection wait until another one is given back, and so
	// would all askers wait for each other.
	ctx, stop := context.WithTimeout(ctx, atOnce)
	defer stop()
	conn, err := connectTo(ctx, config)
	if err == nil {
		err = conn.run(ctx, beginReading+"; SET TRANSACTION SNAPSHOT '"+l.moment+"'")
	}
	if err != nil { // there is no room for more, or it is another server
		if conn.PgConn != nil {
			conn.close()
		}
		l.wide = false
		return nil
	}
	l.count++
	return &lane{conn, l.moment}
}

// back gives a connection back.
func (l *lanes) back(one *lane) {
	l.mu.Lock()
	defer l.mu.Unlock()
	switch {
	case one.moment != l.moment: // that is over
		one.close()
	case one.IsClosed():
		l.count--
	default:
		l.idle = append(l.idle, one)
	}
}

// close ends all of them.
func (l *lanes) close() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, one := range l.idle {
		one.close()
	}
	l.idle, l.count, l.moment = nil, 0, ""
}
