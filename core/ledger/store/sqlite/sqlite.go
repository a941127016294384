package sqlite

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/banding"
)

// version is that of the schema.
const version = 4

// application marks the file as a ledger, as SQLite lets a program do: "FrLg".
const application = 0x46724c67

// file is a store in an SQLite file.
type file struct {
	reader
	store.Alone
	db     *sql.DB
	moment *moment // nil where it is written to

	mu      sync.Mutex        // of the rest
	records []store.RecordRow // that were read, nil for none
	version int64             // of the data then
}

// moment reads everything in one transaction, as it was at one moment: what another
// program removes in the meantime would look like damage. It begins with the first that
// is read.
type moment struct {
	db      *sql.DB
	mu      sync.Mutex
	tx      *sql.Tx
	version int64 // of the data; it reports whether anything was changed between two moments
	changed bool
}

func (m *moment) begin(ctx context.Context) (querier, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.tx != nil {
		return m.tx, nil
	}
	// What a context ends is each query.
	tx, err := m.db.BeginTx(context.WithoutCancel(ctx), nil)
	if err != nil {
		return nil, err
	}
	version, err := dataVersion(ctx, tx)
	if err != nil {
		tx.Rollback()
		return nil, err
	}
	m.changed = m.changed || m.version != 0 && m.version != version
	m.tx, m.version = tx, version
	return tx, nil
}

// dataVersion returns a number that is another one when another program has changed the
// data.
func dataVersion(ctx context.Context, q querier) (version int64, err error) {
	err = q.QueryRowContext(ctx, "SELECT data_version FROM pragma_data_version").Scan(&version)
	return version, err
}

// QueryContext implements querier.
func (m *moment) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	q, err := m.begin(ctx)
	if err != nil {
		return nil, err
	}
	return q.QueryContext(ctx, query, args...)
}

// QueryRowContext implements querier.
func (m *moment) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	q, err := m.begin(ctx)
	if err != nil {
		q = m.db // which says why
	}
	return q.QueryRowContext(ctx, query, args...)
}

// Release implements Store.
func (f *file) Release() {
	if f.moment == nil {
		return
	}
	f.moment.mu.Lock()
	defer f.moment.mu.Unlock()
	if f.moment.tx != nil {
		f.moment.tx.Rollback()
		f.moment.tx = nil
	}
}

// patience is how long to wait for another program that writes.
const patience = 30 * time.Second

// Open opens the store in a file to read from it. One of an older version is brought up
// to this one first.
func Open(ctx context.Context, path string) (store.Store, error) { return opened(openFile(ctx, path)) }

// Create opens the store in a file to write to it, and makes it if there is none: for
// its owner only, whatever the mask of the process is.
func Create(ctx context.Context, path string) (store.Store, error) {
	return opened(createFile(ctx, path))
}

func opened(f *file, err error) (store.Store, error) {
	if err != nil {
		return nil, err
	}
	return f, nil
}

func openFile(ctx context.Context, path string) (*file, error) {
	if there, err := isThere(path); err != nil || !there {
		return nil, cmp.Or(err, store.ErrNone)
	}
	mode := "ro"
	if _, err := os.Stat(path + "-journal"); err == nil { // a writer was killed: what it began has to be taken back
		mode = "rw"
	}
	f, err := connect(ctx, path, mode)
	if e := (*sqlite.Error)(nil); errors.As(err, &e) && e.Code() == sqlite3.SQLITE_READONLY_ROLLBACK { // killed just now
		mode = "rw"
		f, err = connect(ctx, path, mode)
	}
	if errors.Is(err, errOlder) {
		if f, err = createFile(ctx, path); err != nil { // no room, damage, or no right to write
			if f, older := connect(ctx, path, mode+asItIs); older == nil {
				return f, nil
			}
			return nil, err
		}
		f.Close()
		f, err = connect(ctx, path, mode)
	}
	return f, err
}

// asItIs after a mode has a file of version 2 read without summaries, which it has not.
const asItIs = "+"

// isThere reports whether there is a file with anything in it. Of something that is no
// file, nothing would come, or never.
func isThere(path string) (bool, error) {
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return false, nil
	case err != nil:
		return false, err
	case info.IsDir():
		return false, store.ErrForeign
	case !info.Mode().IsRegular():
		return false, store.ErrNoFile
	}
	return info.Size() > 0, nil
}

func createFile(ctx context.Context, path string) (*file, error) {
	if _, err := isThere(path); err != nil {
		return nil, err
	}
	made, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err == nil {
		err = errors.Join(made.Chmod(0o600), made.Close())
	}
	if err != nil && !errors.Is(err, fs.ErrExist) {
		return nil, err
	}
	return connect(ctx, path, "rwc")
}

// lockByHandle has locks belong to what holds the file open, where the system knows such (OFD locks). The
// locks of POSIX belong to the process, and all of them are gone when anything in it closes the file:
// what reads it to take its digest, or another connection that ends as this one begins.
var lockByHandle = sync.OnceFunc(func() { sqlite.OFDLocking(true) })

func connect(ctx context.Context, path, mode string) (*file, error) {
	lockByHandle()
	mode, older := strings.CutSuffix(mode, asItIs)
	query := url.Values{"mode": {mode}, "_pragma": {
		fmt.Sprintf("busy_timeout(%d)", patience.Milliseconds()), "page_size(8192)", "synchronous(full)", "cache_size(-8000)"}}
	if mode == "rwc" {
		query.Set("_txlock", "immediate")
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?"+query.Encode())
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1)
	f := &file{reader: reader{db}, db: db}
	f.Alone.Reader = func() store.Reader { return f }
	if mode != "rwc" {
		f.moment = &moment{db: db}
		f.reader = reader{f.moment}
	}
	if err := f.prepare(ctx, mode == "rwc", older); err != nil {
		f.Close()
		var e *sqlite.Error
		if errors.As(err, &e) && e.Code()&0xff == sqlite3.SQLITE_CANTOPEN { // the system says why
			flags := os.O_RDWR
			if mode == "ro" {
				flags = os.O_RDONLY
			}
			opened, reason := os.OpenFile(path, flags, 0)
			if reason != nil {
				return nil, reason
			}
			opened.Close()
		}
		return nil, err
	}
	return f, nil
}

// errOlder is returned for a file of an older version that was opened to be read.
var errOlder = errors.New("written by an older version of this program")

// prepare makes sure that the file is a ledger of this version. If it may be
// written to, an empty file is made one, and an older one brought up to it; older ones that
// can be read as they are may be let pass.
func (f *file) prepare(ctx context.Context, write, older bool) error {
	mark, at, tables, err := about(ctx, f.q)
	switch {
	case err != nil:
		return named(err)
	case mark == 0 && tables == 0 && write, mark == application && at < version && write:
		return f.inTransaction(ctx, func(tx *sql.Tx) error {
			// Another program may have done it in the meantime.
			_, at, tables, err := about(ctx, tx)
			switch {
			case err != nil:
				return err
			case tables == 0:
				_, err = tx.ExecContext(ctx, schema()+fmt.Sprintf("PRAGMA application_id = %d; PRAGMA user_version = %d;", application, version))
				return err
			case at == 1:
				return fromVersion1(ctx, tx)
			case at == 2:
				err = fromVersion2(ctx, tx)
			}
			if err == nil && at < version {
				err = fromVersion3(ctx, tx)
			}
			return err
		})
	case mark == 0 && tables == 0: // the first that wrote was killed
		return store.ErrNone
	case mark != application:
		return store.ErrForeign
	case at > version:
		return store.ErrNewer
	case at < version && !(older && at >= 2):
		return errOlder
	}
	return nil
}

// about tells of what program and version a file is, and how many tables it has,
// at one moment.
func about(ctx context.Context, q querier) (mark, at, tables int, err error) {
	err = q.QueryRowContext(ctx, "SELECT application_id, user_version, (SELECT count(*) FROM sqlite_master) FROM pragma_application_id, pragma_user_version").Scan(&mark, &at, &tables)
	return mark, at, tables, err
}

// Close implements Store.
func (f *file) Close() error {
	f.Release()
	return f.db.Close()
}

// Update implements Store.
func (f *file) Update(ctx context.Context, change func(store.Update) error) error {
	f.Release()
	defer func() { // what was read before, or meanwhile, is not what there is now
		f.mu.Lock()
		f.records = nil
		f.mu.Unlock()
	}()
	return f.inTransaction(ctx, func(tx *sql.Tx) error {
		u := newUpdate(tx)
		err := change(u)
		if err == nil {
			err = u.bands.Flush(ctx)
		}
		for i := 0; i < len(u.added) && err == nil; i++ {
			err = u.addExtra(ctx, u.added[i])
		}
		return err
	})
}

// Check implements Store.
func (f *file) Check(ctx context.Context) (faults []string, err error) {
	err = each(ctx, f.q, func(rows *sql.Rows) error {
		var line string
		err := rows.Scan(&line)
		if line != "ok" {
			faults = append(faults, line)
		}
		return err
	}, "PRAGMA integrity_check")
	return faults, err
}

// Compact implements Store.
func (f *file) Compact(ctx context.Context) error {
	f.Release()
	_, err := f.db.ExecContext(ctx, "VACUUM")
	return named(err)
}

// inTransaction does something whole or not at all.
func (f *file) inTransaction(ctx context.Context, do func(tx *sql.Tx) error) error {
	tx, err := f.db.BeginTx(ctx, nil)
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
	name := map[int]error{
		sqlite3.SQLITE_NOTADB: store.ErrForeign, sqlite3.SQLITE_CORRUPT: encoding.ErrDamaged, sqlite3.SQLITE_BUSY: store.ErrBusy, sqlite3.SQLITE_LOCKED: store.ErrBusy,
		sqlite3.SQLITE_READONLY: store.ErrReadOnly, sqlite3.SQLITE_FULL: store.ErrFull,
	}[e.Code()&0xff]
	if e.Code() == sqlite3.SQLITE_IOERR_WRITE { // also at a limit on the size of files
		name = store.ErrFull
	}
	if name == nil || errors.Is(err, name) {
		return err
	}
	return fmt.Errorf("%w: %w", name, err)
}

// querier is the database, or a transaction in it.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

// each calls a function for each row that a query has. A row that cannot be read
// is an error, never the end.
func each(ctx context.Context, q querier, do func(*sql.Rows) error, query string, args ...any) error {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return named(err)
	}
	defer rows.Close()
	for rows.Next() {
		if err := do(rows); err != nil {
			return named(err)
		}
	}
	return named(rows.Err())
}

// reader reads from the database, or in a transaction.
type reader struct{ q querier }

// Records implements Reader.
func (s reader) Records(ctx context.Context) ([]store.RecordRow, error) {
	records, err := s.records(ctx, "")
	store.FillTurns(records)
	return records, err
}

// Records implements Reader. What was read before is good as long as nobody has changed
// anything.
func (f *file) Records(ctx context.Context) ([]store.RecordRow, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	version, err := dataVersion(ctx, f.q)
	if err != nil {
		return nil, named(err)
	}
	if f.records == nil || f.version != version {
		if f.records, err = f.reader.Records(ctx); err != nil {
			f.records = nil
			return nil, err
		}
		f.version = version
	}
	return slices.Clone(f.records), nil
}

// records returns the records that a clause chooses.
func (s reader) records(ctx context.Context, where string, args ...any) (records []store.RecordRow, err error) {
	unsized := "0"
	if there, err := s.hasTable(ctx, "extra"); err != nil {
		return nil, err
	} else if there {
		unsized = "(SELECT coalesce(sum(unsized), 0) FROM extra WHERE record = r.id)"
	}
	stored, looked := "(SELECT coalesce(sum(length(folders) + length(names) + length(facts)), 0) FROM sheet WHERE place = r.place AND record = r.id)", "NULL, NULL"
	if there, err := s.hasTable(ctx, "band"); err != nil {
		return nil, err
	} else if there {
		stored = "(SELECT coalesce(sum(stored), 0) FROM band WHERE place = r.place AND record = r.id)"
		looked = "(SELECT looked FROM counts WHERE record = r.id), (SELECT hidden FROM counts WHERE record = r.id)"
	}
	turn := "0"
	if there, err := s.hasColumn(ctx, "record", "turn"); err != nil {
		return nil, err
	} else if there {
		turn = "r.turn"
	}
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var r store.RecordRow
		var path, tree []byte
		var taken int64
		var terms string
		var host sql.NullString
		var looked, hidden sql.NullInt64
		if err := rows.Scan(&r.Number, &r.Place, &host, &path, &r.Label, &taken, &r.Note, &terms, &r.Algorithm, &r.Entries, &r.Bytes, &tree, &r.Self, &r.Problems, &r.Stored, &looked, &hidden, &r.Unsized, &r.Turn); err != nil {
			return err
		}
		r.Path, r.Taken = string(path), time.Unix(0, taken).UTC()
		copy(r.Tree[:], tree)
		r.Host = host.String
		if r.Counted = looked.Valid && hidden.Valid; r.Counted {
			r.Looked, r.Hidden = looked.Int64, hidden.Int64
		}
		if !host.Valid || json.Unmarshal([]byte(terms), &r.Terms) != nil {
			return fmt.Errorf("%w: record %d", encoding.ErrDamaged, r.Number)
		}
		records = append(records, r)
		return nil
	}, `SELECT r.id, r.place, p.host, p.path, r.label, r.taken, r.note, r.terms, r.algorithm, r.entries, r.bytes, r.seal, r.self,
		(SELECT count(*) FROM problem WHERE record = r.id),
		`+stored+", "+looked+", "+unsized+", "+turn+`
		FROM record r LEFT JOIN place p ON p.id = r.place `+where+" ORDER BY r.id", args...)
	return records, err
}

// Problems implements Reader.
func (s reader) Problems(ctx context.Context, record int64) (problems []store.ProblemRow, err error) {
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var p store.ProblemRow
		var path []byte
		err := rows.Scan(&path, &p.Tried, &p.Reason, &p.Entries, &p.Vanished)
		p.Path = string(path)
		problems = append(problems, p)
		return err
	}, "SELECT way, tried, reason, entries, vanished FROM problem WHERE record = ? ORDER BY way, tried", record)
	return problems, err
}

// Segments implements Reader.
func (s reader) Segments(ctx context.Context, of store.Range) (segments []store.SegmentRow, err error) {
	where, args := clauseOf(of)
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		one := store.SegmentRow{Place: of.Place}
		var place int64
		err := rows.Scan(&one.Number, &place, &one.Record, &one.Folders)
		one.Layer = place < 0
		segments = append(segments, one)
		return err
	}, "SELECT id, place, record, folders FROM sheet "+where+" ORDER BY record, id", args...)
	return segments, err
}

// Volumes implements Reader. A ledger of an earlier program has no such table.
func (s reader) Volumes(ctx context.Context, place int64) (volumes map[string]uint64, err error) {
	if there, err := s.hasTable(ctx, "volume"); err != nil || !there {
		return nil, err
	}
	volumes = map[string]uint64{}
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var id string
		var device int64
		err := rows.Scan(&id, &device)
		volumes[id] = uint64(device)
		return err
	}, "SELECT id, device FROM volume WHERE place = ?", place)
	return volumes, err
}

// hasTable reports whether there is a table: some came after the others.
func (s reader) hasTable(ctx context.Context, name string) (bool, error) {
	var tables int
	err := s.q.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE name = ?", name).Scan(&tables)
	return tables > 0, named(err)
}

// hasColumn reports whether a table has a column: some came later.
func (s reader) hasColumn(ctx context.Context, table, name string) (bool, error) {
	var columns int
	err := s.q.QueryRowContext(ctx, "SELECT count(*) FROM pragma_table_info(?) WHERE name = ?", table, name).Scan(&columns)
	return columns > 0, named(err)
}

// Dropped implements Reader.
func (s reader) Dropped(ctx context.Context, host string) (map[string]bool, error) {
	if there, err := s.hasTable(ctx, "dropped"); err != nil || !there {
		return nil, err
	}
	dropped := map[string]bool{}
	err := each(ctx, s.q, func(rows *sql.Rows) error {
		var id []byte
		err := rows.Scan(&id)
		dropped[string(id)] = true
		return err
	}, "SELECT id FROM dropped WHERE host = ?", host)
	return dropped, err
}

// Part implements Reader.
func (s reader) Part(ctx context.Context, segment int64, part store.Part) (content []byte, err error) {
	query := "SELECT names FROM sheet WHERE id = ?"
	switch part {
	case store.Facts:
		query = "SELECT facts FROM sheet WHERE id = ?"
	case store.Folders:
		query = "SELECT folders FROM sheet WHERE id = ?"
	}
	err = s.q.QueryRowContext(ctx, query, segment).Scan(&content)
	if err == sql.ErrNoRows {
		err = fmt.Errorf("%w: segment %d is not there", encoding.ErrDamaged, segment)
		if m, is := s.q.(*moment); is && m.changed {
			err = store.ErrChanged
		}
	}
	return content, named(err)
}

// update changes the database in a transaction.
type update struct {
	reader
	tx    *sql.Tx
	added []added
	bands banding.Maker
}

func newUpdate(tx *sql.Tx) *update {
	u := &update{reader: reader{tx}, tx: tx}
	u.bands.Write = u.writeBand
	return u
}

// added is a record that was added.
type added struct{ number, unsized int64 }

func (u *update) exec(ctx context.Context, query string, args ...any) (sql.Result, error) {
	result, err := u.tx.ExecContext(ctx, query, args...)
	return result, named(err)
}

// AddRecord implements Update.
func (u *update) AddRecord(ctx context.Context, r store.RecordRow) (number, place int64, err error) {
	if _, err := u.exec(ctx, "INSERT OR IGNORE INTO place (host, path) VALUES (?, ?)", r.Host, []byte(r.Path)); err != nil {
		return 0, 0, err
	}
	if err := u.tx.QueryRowContext(ctx, "SELECT id FROM place WHERE host = ? AND path = ?", r.Host, []byte(r.Path)).Scan(&place); err != nil {
		return 0, 0, named(err)
	}
	terms, err := json.Marshal(append([]string{}, r.Terms...))
	if err != nil {
		return 0, 0, err
	}
	chosen := sql.NullInt64{Int64: r.Number, Valid: r.Number > 0}
	result, err := u.exec(ctx, "INSERT INTO record (id, place, label, taken, note, terms, algorithm, entries, bytes, seal, self, turn) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		chosen, place, r.Label, r.Taken.UnixNano(), r.Note, string(terms), r.Algorithm, r.Entries, r.Bytes, r.Tree[:], blob(r.Self), r.Turn)
	if err != nil {
		return 0, 0, err
	}
	if number, err = result.LastInsertId(); err == nil {
		u.added = append(u.added, added{number, r.Unsized})
	}
	if err == nil && r.Counted {
		err = u.SetCounts(ctx, number, r.Looked, r.Hidden)
	}
	return number, place, err
}

// SetCounts implements Update.
func (u *update) SetCounts(ctx context.Context, record, looked, hidden int64) error {
	_, err := u.exec(ctx, "INSERT OR REPLACE INTO counts (record, looked, hidden) VALUES (?, ?, ?)", record, looked, hidden)
	return err
}

// AddProblem implements Update.
func (u *update) AddProblem(ctx context.Context, record int64, p store.ProblemRow) error {
	_, err := u.exec(ctx, "INSERT INTO problem (record, way, tried, reason, entries, vanished) VALUES (?, ?, ?, ?, ?, ?)",
		record, []byte(p.Path), p.Tried, p.Reason, p.Entries, p.Vanished)
	return err
}

// AddVolume implements Update.
func (u *update) AddVolume(ctx context.Context, place int64, id string, device uint64) error {
	for _, statement := range []struct {
		text string
		args []any
	}{{volumeTable, nil}, {"INSERT OR IGNORE INTO volume (place, id, device) VALUES (?, ?, ?)", []any{place, id, int64(device)}}} {
		if _, err := u.exec(ctx, statement.text, statement.args...); err != nil {
			return err
		}
	}
	return nil
}

// volumeTable came after the others; programs that know nothing of it do not mind.
const volumeTable = `CREATE TABLE IF NOT EXISTS volume (
	place  INTEGER NOT NULL,
	id     TEXT NOT NULL,    -- what tells a file system from others, also when it is mounted anew
	device INTEGER NOT NULL, -- the number it has in the records of the place
	UNIQUE (place, id)
)`

// AddDropped implements Update.
func (u *update) AddDropped(ctx context.Context, host, id string) error {
	_, err := u.exec(ctx, "INSERT OR IGNORE INTO dropped (host, id) VALUES (?, ?)", host, []byte(id))
	return err
}

// AddSegment implements Update.
func (u *update) AddSegment(ctx context.Context, s store.SegmentRow) error {
	result, err := u.exec(ctx, "INSERT INTO sheet (place, record, folders, names, facts) VALUES (?, ?, ?, ?, ?)",
		keptUnder(&s), s.Record, blob(s.Folders), blob(s.Names), blob(s.Facts))
	if err != nil {
		return err
	}
	if s.Number, err = result.LastInsertId(); err != nil {
		return err
	}
	return u.bands.Add(ctx, s)
}

// blob is never NULL.
func blob(content []byte) []byte {
	if content == nil {
		return []byte{}
	}
	return content
}

// RemoveSegments implements Update.
func (u *update) RemoveSegments(ctx context.Context, record int64) error {
	return u.removeKept(ctx, record, "SELECT place FROM record WHERE id = ?1")
}

// RemoveRecord implements Update.
func (u *update) RemoveRecord(ctx context.Context, record int64) error {
	if err := u.RemoveLayer(ctx, record); err != nil {
		return err
	}
	for _, statement := range []string{
		"DELETE FROM problem WHERE record = ?",
		"DELETE FROM record WHERE id = ?",
	} {
		if _, err := u.exec(ctx, statement, record); err != nil {
			return err
		}
	}
	for _, statement := range []string{
		"DELETE FROM place WHERE NOT EXISTS (SELECT 1 FROM record WHERE place = place.id)",
		volumeTable,
		"DELETE FROM volume WHERE place NOT IN (SELECT id FROM place)",
		stampTable,
		"DELETE FROM stamp WHERE place NOT IN (SELECT id FROM place)",
	} {
		if _, err := u.exec(ctx, statement); err != nil {
			return err
		}
	}
	return u.forgetWatched(ctx)
}
