// Package postgres keeps a ledger in a PostgreSQL database, which the machines of a fleet may
// share.
//
// A record is one transaction. Whoever writes records of a host changes its row, so that two writers of the same host
// meet there. What meets another writer, or loses its server in between, is reported as [store.ErrAgain], and can be
// done again; if the answer to a commit is lost, a token shows whether it was written, so that nothing is written
// twice.
package postgres

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// database is a store in a PostgreSQL database.
type database struct {
	reader
	config *pgconn.Config

	mu    sync.Mutex // of the connection: one thing at a time is asked of it
	conn  connection // nil where it was lost
	open  bool       // a transaction that is read in
	write bool       // everything is read as it is at the time
	held  bool       // but not now: see Hold

	schema atomic.Int32 // its version, as of the last connection

	known     sync.Mutex // of the rest
	hosts     []string   // whose records are told of; nil for all
	parallel  parallel   // more connections to read by
	machine   []byte     // that this is, as it writes of the host of that name
	machineIs string
	waiting   func(host string)  // is told of it; may be nil
	namesake  bool               // another one has written of it
	places    map[int64]int64    // of records
	hostAt    map[int64]string   // of places
	next      map[string][]int64 // numbers that were given out, for records of hosts
}

// Open opens a ledger to read from it, as it is at one moment until it is released.
func Open(ctx context.Context, name string) (store.Store, error) { return open(ctx, name, false, 0) }

// Create opens a ledger to write to it. It does not make one: that is for [Prepare].
func Create(ctx context.Context, name string) (store.Store, error) { return open(ctx, name, true, 0) }

// Await does so, and waits for a server that does not answer: as long as for one that goes away
// later, or as the connection string says (connect_timeout).
func Await(ctx context.Context, name string) (store.Store, error) {
	return open(ctx, name, true, takeover)
}

func open(ctx context.Context, name string, write bool, wait time.Duration) (store.Store, error) {
	config, err := parse(name)
	if err != nil {
		return nil, err
	}
	if config.ConnectTimeout == 0 {
		config.ConnectTimeout = patience
	} else {
		wait = min(wait, config.ConnectTimeout)
	}
	if several(config) {
		wait = takeover
	}
	if config.RuntimeParams["application_name"] == "" {
		config.RuntimeParams["application_name"] = "frank"
	}
	d := &database{config: config, write: write, places: map[int64]int64{}, hostAt: map[int64]string{}, next: map[string][]int64{}}
	d.reader = reader{d, d}
	for begun := time.Now(); ; {
		err := again(d.connect(ctx))
		if err == nil {
			break
		}
		// Where several servers are named, one of them will stand in for another; and where others take
		// all the connections that one has, they will not for long.
		most := wait
		switch {
		case isSQLState(err, "53300"):
			most = takeover
		case isNowhere(err):
			most = 0
		}
		if !errors.Is(err, store.ErrAgain) || time.Since(begun) >= most || ctx.Err() != nil {
			return nil, err
		}
		select {
		case <-ctx.Done():
		case <-time.After(500 * time.Millisecond):
		}
	}
	return d, nil
}

// isNowhere reports whether an error says that there is no such server, and not that it does not
// answer.
func isNowhere(err error) bool {
	var lookup *net.DNSError
	return errors.As(err, &lookup) && lookup.IsNotFound
}

// settings is an error of a connection string, which may have a password in it.
func settings(err error) error {
	var parse *pgconn.ParseConfigError
	if errors.As(err, &parse) && errors.Unwrap(parse) != nil {
		return fmt.Errorf("%w: %w", ErrSettings, errors.Unwrap(parse))
	}
	return ErrSettings
}

// What can be wrong with a database, besides what can be wrong with any store.
var (
	ErrSettings   = errors.New("these are no settings of a connection")
	ErrNoServer   = errors.New("the database server cannot be reached")
	ErrRefused    = errors.New("the database refused the login")
	ErrNoDatabase = errors.New("there is no such database")
	ErrNoRight    = errors.New("this login has no right to do that")
	ErrOlder      = errors.New("prepared by an older version of this program")
	ErrNoLogin    = errors.New("the database has no such login")
	ErrLostMoment = errors.New("the database server went away in the middle of the answer; run this again")
	ErrUnknown    = errors.New("the server went away before it said whether that was written")
)

// takeover is how long it may take until a server stands in for another.
const takeover = time.Minute

// several reports whether a connection may be to one of several servers.
func several(config *pgconn.Config) bool {
	for _, other := range config.Fallbacks {
		if other.Host != config.Host || other.Port != config.Port {
			return true
		}
	}
	return false
}

// patience is how long to wait for a server, and for another program that writes.
const patience = 30 * time.Second

// connect connects anew, if that is needed.
func (d *database) connect(ctx context.Context) (err error) {
	if d.conn.PgConn != nil && !d.conn.IsClosed() {
		return nil
	}
	d.conn, d.open = connection{}, false
	if d.conn, err = connectTo(ctx, d.config); err != nil {
		d.conn = connection{}
		return named(err)
	}
	if err := d.prepared(ctx); err != nil { // it may be another one by now
		d.conn.close()
		d.conn = connection{}
		return err
	}
	return nil
}

// prepared makes sure that there is a ledger in the database that this program knows.
func (d *database) prepared(ctx context.Context) error {
	is, err := schemaOf(ctx, d.conn)
	if err == nil {
		err = is.check(d.write)
	}
	if err == nil {
		d.schema.Store(int32(is.version))
	}
	return err
}

// schema is what a ledger in a database tells of its tables.
type schema struct {
	version          int
	readers, writers int // the least versions that programs must know to read it, and to write to it
}

// check returns an error if this program is too old, or too new, to read the ledger or to write to it.
func (s *schema) check(write bool) error {
	least := s.readers
	if write {
		least = s.writers
	}
	switch {
	case s.version > version && least > version:
		return store.ErrNewer
	case s.version < oldest:
		return ErrOlder
	}
	return nil
}

// schemaOf returns the schema that there is.
func schemaOf(ctx context.Context, conn connection) (s schema, err error) {
	var there, table bool
	if err = conn.one(ctx, `SELECT EXISTS (SELECT 1 FROM pg_catalog.pg_namespace WHERE nspname = $1),
		EXISTS (SELECT 1 FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = $1 AND c.relname = 'about')`, []any{schemaName}, &there, &table); err != nil {
		return s, named(err)
	}
	switch {
	case !there:
		return s, store.ErrNone
	case !table:
		return s, store.ErrForeign
	}
	// Before version 4, the table does not have all of these columns.
	err = conn.one(ctx, "SELECT a.version, coalesce((to_jsonb(a)->>'readers')::integer, a.version), coalesce((to_jsonb(a)->>'writers')::integer, a.version) FROM frank.about a", nil, &s.version, &s.readers, &s.writers)
	if errors.Is(err, errNoRow) || isSQLState(err, "42703") || errors.Is(err, errValue) { // no such column, or of another type
		return s, store.ErrForeign
	}
	return s, named(err)
}

// Only implements store.Store.
func (d *database) Only(hosts ...string) {
	d.known.Lock()
	defer d.known.Unlock()
	d.hosts = hosts
}

// Identify implements store.Store.
func (d *database) Identify(host string, machine []byte) {
	d.known.Lock()
	defer d.known.Unlock()
	d.machine, d.machineIs = machine, host
}

// TellWaiting implements store.Store.
func (d *database) TellWaiting(tell func(host string)) {
	d.known.Lock()
	defer d.known.Unlock()
	d.waiting = tell
}

// machineOf returns the machine that writes of a host, nil if that is not known.
func (d *database) machineOf(host string) []byte {
	d.known.Lock()
	defer d.known.Unlock()
	if host != d.machineIs {
		return nil
	}
	return d.machine
}

// Namesake implements store.Store.
func (d *database) Namesake() bool {
	d.known.Lock()
	defer d.known.Unlock()
	return d.namesake
}

// Shared implements store.Store.
func (d *database) Shared() bool { return true }

// Salvage implements store.Store: the server says what cannot be read.
func (d *database) Salvage(func(string)) store.Reader { return d }

// Close implements store.Store.
func (d *database) Close() error {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.parallel.close()
	if d.conn.PgConn == nil {
		return nil
	}
	err := d.conn.close()
	d.conn, d.open = connection{}, false
	return err
}

// Hold implements store.Store.
func (d *database) Hold() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.release()
	d.held = true
}

// Release implements store.Store. Whoever is going to write gives the connection back, too: until
// then, what is recorded is read, which may take long, and a server has not got one for each of many
// machines.
func (d *database) Release() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.release()
	if d.write && d.conn.PgConn != nil {
		d.conn.close()
		d.conn = connection{}
	}
}

func (d *database) release() {
	d.parallel.close()
	d.held = false
	if d.open {
		d.conn.rollback()
		d.open = false
	}
}

// Check implements store.Store: the server looks after its own files.
func (d *database) Check(context.Context) ([]string, error) { return nil, nil }

// Compact implements store.Store: the server gives room back by itself.
func (d *database) Compact(context.Context) error { return nil }

// ask does something with the connection, while nobody else does. What is read is of one
// moment, unless the ledger is written to.
func (d *database) ask(ctx context.Context, do func(connection) error) error {
	if !d.mu.TryLock() {
		if one := d.parallel.take(ctx, d.config); one != nil {
			defer d.parallel.back(one)
			return named(do(one.connection))
		}
		d.mu.Lock()
	}
	defer d.mu.Unlock()
	if d.open && d.conn.IsClosed() { // what comes would be of another moment
		return d.lostMoment()
	}
	if err := d.connect(ctx); err != nil {
		return err
	}
	if d.write && !d.held {
		return named(do(d.conn))
	}
	if !d.open {
		begin := beginReading
		if d.config.RuntimeParams["lock_timeout"] == "" {
			begin += fmt.Sprintf("; SET LOCAL lock_timeout = %d", patience.Milliseconds())
		}
		if err := d.conn.run(ctx, begin); err != nil {
			return named(err)
		}
		d.open = true
		d.parallel.open(ctx, d.conn)
	}
	err := named(do(d.conn))
	if errors.Is(err, store.ErrBusy) {
		err = d.whoIsBusy(ctx, err)
	}
	return err
}

// whoIsBusy adds to an error which logins have a table locked.
func (d *database) whoIsBusy(ctx context.Context, busy error) error {
	conn, err := connectTo(ctx, d.config)
	if err != nil {
		return busy
	}
	defer conn.close()
	var who []string
	conn.each(ctx, func(r row) error {
		var login string
		err := r.scan(&login)
		who = append(who, login)
		return err
	}, `SELECT DISTINCT a.usename::text FROM pg_catalog.pg_locks l JOIN pg_catalog.pg_class c ON c.oid = l.relation JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
		JOIN pg_catalog.pg_stat_activity a ON a.pid = l.pid WHERE n.nspname = 'frank' AND l.granted AND l.mode = 'AccessExclusiveLock' AND a.usename IS NOT NULL ORDER BY 1`)
	if len(who) == 0 {
		return busy
	}
	return fmt.Errorf("%w; the login %s has locked it", busy, strings.Join(who, ", "))
}

// lostMoment is the error that the server went away in the middle of what is read. Whoever prepares
// to write begins again; an answer has been given in part.
func (d *database) lostMoment() error {
	if d.held {
		return &fault{ErrNoServer, ErrLostMoment, "it went away meanwhile"}
	}
	return ErrLostMoment
}

// Update implements store.Store. Who writes of the same host meanwhile is in the way of this, or
// this of that, and one of both is done again.
func (d *database) Update(ctx context.Context, change func(store.Update) error) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.release()
	if err := d.connect(ctx); err != nil {
		return err
	}
	err := d.updateOnce(ctx, change)
	var without *lacking
	if errors.As(err, &without) {
		if err := d.reserve(ctx, without.host, 2*without.count+1); err != nil {
			return again(err)
		}
		return store.ErrNumbers
	}
	return err
}

func (d *database) updateOnce(ctx context.Context, change func(store.Update) error) error {
	// Two that write of the same host meet at its row, which is as good as if all were serialisable,
	// and nobody else is in the way.
	begin := "BEGIN ISOLATION LEVEL REPEATABLE READ"
	if d.config.RuntimeParams["lock_timeout"] == "" { // of this transaction only: a pooler lends connections
		begin += fmt.Sprintf("; SET LOCAL lock_timeout = %d", patience.Milliseconds())
	}
	if err := d.conn.run(ctx, begin); err != nil {
		return again(named(err))
	}
	token := make([]byte, 16)
	rand.Read(token)
	u := newUpdate(d, d.conn, token)
	err := change(u)
	if err == nil {
		err = u.finish(ctx)
	}
	if err != nil {
		u.settle()                                       // whatever becomes of it
		if u.failed != nil && isSQLState(err, "25P02") { // which only says that something failed before
			err = u.failed
		}
		d.conn.rollback()
		if errors.As(err, new(*lacking)) {
			u.giveBack()
		}
		return again(named(err))
	}
	if err = d.conn.commit(ctx); err != nil {
		written, known := d.written(ctx, u)
		switch {
		case written:
			return nil
		case !known && len(u.added) > 0: // to do it again could write it twice
			return &fault{ErrUnknown, err, "the records tell, once it is there again"}
		}
		return again(named(err))
	}
	return nil
}

// written finds out whether a transaction was committed that got no answer: the record that it
// added tells, by its token.
func (d *database) written(ctx context.Context, u *update) (written, known bool) {
	if len(u.added) == 0 {
		return false, false
	}
	for begun := time.Now(); time.Since(begun) < patience && ctx.Err() == nil; {
		err := d.connect(ctx)
		if err == nil {
			one := u.added[len(u.added)-1]
			if written, err = d.writtenOnce(ctx, one, u.token); err == nil {
				return written, true
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(200 * time.Millisecond):
		}
	}
	return false, false
}

// writtenOnce asks for a record by its token, once the transaction that wrote it has ended for
// certain: it has the row of the host until then, and its commit may still be on the way.
func (d *database) writtenOnce(ctx context.Context, r store.RecordRow, token []byte) (written bool, err error) {
	if err := d.conn.run(ctx, fmt.Sprintf("BEGIN; SET LOCAL lock_timeout = %d", patience.Milliseconds())); err != nil {
		return false, err
	}
	defer d.conn.rollback()
	var another bool
	if err := d.conn.one(ctx, "SELECT frank.change($1, NULL)", []any{r.Host}, &another); err != nil {
		return false, err
	}
	err = d.conn.one(ctx, "SELECT EXISTS (SELECT 1 FROM frank.record WHERE place = $1 AND number = $2 AND token = $3)", []any{r.Place, r.Number, token}, &written)
	return written, err
}

// again marks what may succeed if it is done once more.
func again(err error) error {
	var server *pgconn.PgError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &server):
		switch server.Code {
		case "40001", "40P01": // a conflict
			return fmt.Errorf("%w: %w", store.ErrAgain, err)
		}
	}
	return err
}

// named gives errors of the database the names of this package.
func named(err error) error {
	var server *pgconn.PgError
	var connecting *pgconn.ConnectError
	var network net.Error
	var name error
	switch {
	case err == nil || errors.Is(err, context.Canceled) || errors.Is(err, encoding.ErrDamaged) || errors.Is(err, store.ErrAgain):
		return err
	case errors.As(err, &server):
		switch server.Code {
		case "28P01", "28000":
			name = ErrRefused
		case "3D000":
			name = ErrNoDatabase
		case "42501":
			name = ErrNoRight
		case "55P03":
			name = store.ErrBusy
		case "53100":
			name = store.ErrFull
		case "57P01", "57P02", "57P03", "25006", "53300": // it stops, starts, is a standby, or has no connection left
			name = ErrNoServer
		}
		if name == nil {
			return err
		}
		return &fault{name, err, server.Message}
	case errors.Is(err, ErrNoServer):
		return err
	case errors.As(err, &connecting), errors.As(err, &network), pgconn.SafeToRetry(err), errors.Is(err, net.ErrClosed), isBroken(err):
		text := err.Error()
		var call syscall.Errno
		var lookup *net.DNSError
		switch {
		case errors.As(err, &call):
			text = call.Error()
		case errors.As(err, &lookup):
			text = lookup.Err + ": " + lookup.Name
		default:
			text = text[strings.LastIndex(text, "\n")+1:]
			text = text[strings.LastIndex(text, ": ")+1:]
		}
		return &fault{ErrNoServer, err, strings.TrimSpace(text)}
	}
	return err
}

// fault is an error of a database under a name of this package, in a few words.
type fault struct {
	name, cause error
	text        string
}

func (f *fault) Error() string { return f.name.Error() + ": " + f.text }

// Unwrap also says of a server that cannot be reached that all can be done again.
func (f *fault) Unwrap() []error {
	if f.name == ErrNoServer {
		return []error{f.name, f.cause, store.ErrAgain}
	}
	return []error{f.name, f.cause}
}

// isBroken reports whether an error is that of a connection that ended.
func isBroken(err error) bool {
	return errors.Is(err, pgconn.ErrConnClosed) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) || errors.Is(err, syscall.EPIPE) || errors.Is(err, syscall.ECONNRESET)
}
