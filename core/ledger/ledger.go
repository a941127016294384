// Package ledger keeps what was found at places, dated, and reads it back as a
// source of entries.
//
// A ledger is one SQLite file. A place that is recorded again costs what has
// changed: of each folder the first record keeps all entries, packed, and a
// later one only those that are new, different or gone. What a folder held at a
// record is all its pieces up to that record, laid over one another. Beside, each
// folder has a seal, a digest over its entries and the seals of the folders in
// it: where the seal is the same as before, nothing below is looked at again.
//
// A record is one transaction: the file holds all of it or nothing.
package ledger

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// What can be wrong with a ledger.
var (
	ErrNone    = errors.New("there is no ledger yet")
	ErrForeign = errors.New("it is no ledger")
	ErrNewer   = errors.New("it was written by a newer version of this program")
	ErrDamaged = errors.New("it is damaged")
	ErrBusy    = errors.New("another program is writing to it")
)

// version is that of the schema. An older one is brought up to it when a ledger
// is opened for writing.
const version = 1

// application marks the file as a ledger, as SQLite lets a program do: "FrLg".
const application = 0x46724c67

// The schema. The key of a piece and of a seal is the number of the folder times
// recordSpan plus the number of the record, so that what belongs to a folder lies
// together, in order of time.
const schema = `
CREATE TABLE record (
	id      INTEGER PRIMARY KEY,
	label   TEXT NOT NULL,
	host    TEXT NOT NULL,
	place   BLOB NOT NULL,    -- full path, exact bytes
	root    INTEGER NOT NULL, -- folder
	taken   INTEGER NOT NULL, -- nanoseconds since 1970 in UTC
	note    TEXT NOT NULL,
	entries INTEGER NOT NULL,
	bytes   INTEGER NOT NULL  -- of content of files
);
CREATE TABLE problem (
	record   INTEGER NOT NULL,
	path     BLOB NOT NULL,
	tried    TEXT NOT NULL,
	reason   TEXT NOT NULL,
	entries  INTEGER NOT NULL,
	vanished INTEGER NOT NULL
);
CREATE TABLE folder (
	id     INTEGER PRIMARY KEY,
	root   INTEGER NOT NULL,  -- folder that the place is; itself for that one
	parent INTEGER NOT NULL,  -- 0 for the place
	name   BLOB NOT NULL      -- exact bytes; the full path for the place
);
CREATE TABLE piece (
	at    INTEGER PRIMARY KEY, -- folder * 1048576 + record
	names BLOB NOT NULL,
	facts BLOB NOT NULL
);
CREATE TABLE seal (
	at   INTEGER PRIMARY KEY,  -- folder * 1048576 + record
	seal BLOB NOT NULL
);
`

const recordSpan = 1 << 20

// Ledger is an open ledger.
type Ledger struct {
	db   *sql.DB
	path string
}

// patience is how long to wait for another program that writes.
const patience = 30 * time.Second

// Open opens a ledger to read from it.
func Open(ctx context.Context, path string) (*Ledger, error) {
	if _, err := os.Stat(path); err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, ErrNone
		}
		return nil, err
	}
	mode := "ro"
	if _, err := os.Stat(path + "-journal"); err == nil { // a writer was killed: what it began has to be taken back
		mode = "rw"
	}
	return open(ctx, path, mode)
}

// Create opens a ledger to write to it, and makes it if there is none.
func Create(ctx context.Context, path string) (*Ledger, error) {
	return open(ctx, path, "rwc")
}

func open(ctx context.Context, path, mode string) (*Ledger, error) {
	query := url.Values{"mode": {mode}, "_txlock": {"immediate"}, "_pragma": {
		fmt.Sprintf("busy_timeout(%d)", patience.Milliseconds()), "page_size(8192)", "synchronous(full)", "cache_size(-16000)"}}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?"+query.Encode())
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1)
	l := &Ledger{db, path}
	if err := l.check(ctx, mode == "rwc"); err != nil {
		db.Close()
		return nil, err
	}
	return l, nil
}

// check makes sure that the file is a ledger of this version, and makes one of
// an empty file that may be written to.
func (l *Ledger) check(ctx context.Context, write bool) error {
	var mark, schemaVersion, tables int
	for pragma, to := range map[string]*int{"PRAGMA application_id": &mark, "PRAGMA user_version": &schemaVersion, "SELECT count(*) FROM sqlite_master": &tables} {
		if err := l.db.QueryRowContext(ctx, pragma).Scan(to); err != nil {
			return named(err)
		}
	}
	switch {
	case mark == 0 && tables == 0 && write:
		return l.inTransaction(ctx, func(tx *sql.Tx) error {
			// Another program may have made it meanwhile.
			if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master").Scan(&tables); err != nil || tables > 0 {
				return err
			}
			_, err := tx.ExecContext(ctx, schema+fmt.Sprintf("PRAGMA application_id = %d; PRAGMA user_version = %d;", application, version))
			return err
		})
	case mark != application:
		return ErrForeign
	case schemaVersion > version:
		return ErrNewer
	}
	return nil
}

// Close closes the ledger.
func (l *Ledger) Close() error { return l.db.Close() }

// inTransaction does something whole or not at all.
func (l *Ledger) inTransaction(ctx context.Context, do func(tx *sql.Tx) error) error {
	tx, err := l.db.BeginTx(ctx, nil)
	if err != nil {
		return named(err)
	}
	if err := do(tx); err != nil {
		tx.Rollback()
		return named(err)
	}
	return named(tx.Commit())
}

// named gives errors of the database the names of this package.
func named(err error) error {
	var e *sqlite.Error
	if !errors.As(err, &e) {
		return err
	}
	switch e.Code() & 0xff {
	case sqlite3.SQLITE_NOTADB:
		return fmt.Errorf("%w: %w", ErrForeign, err)
	case sqlite3.SQLITE_CORRUPT:
		return fmt.Errorf("%w: %w", ErrDamaged, err)
	case sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED:
		return fmt.Errorf("%w: %w", ErrBusy, err)
	}
	return err
}

// Record is one record of one place.
type Record struct {
	Number  int64
	Label   string
	Host    string
	Place   string // full path, exact bytes
	Taken   time.Time
	Note    string
	Entries int64
	Bytes   int64 // of content of files

	root int64
}

// Records returns all records, the oldest first.
func (l *Ledger) Records(ctx context.Context) (records []Record, err error) {
	err = each(ctx, l.db, func(rows *sql.Rows) error {
		var r Record
		var place []byte
		var taken int64
		err := rows.Scan(&r.Number, &r.Label, &r.Host, &place, &r.root, &taken, &r.Note, &r.Entries, &r.Bytes)
		r.Place, r.Taken = string(place), time.Unix(0, taken).UTC()
		records = append(records, r)
		return err
	}, "SELECT id, label, host, place, root, taken, note, entries, bytes FROM record ORDER BY id")
	return records, named(err)
}

// querier is the database, or a transaction in it.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

// each calls a function for each row that a query has. A row that cannot be read
// is an error, never the end.
func each(ctx context.Context, q querier, do func(*sql.Rows) error, query string, args ...any) error {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := do(rows); err != nil {
			return err
		}
	}
	return rows.Err()
}
