package postgres

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"

	"github.com/zeebo/blake3"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// update changes the database in a transaction.
type update struct {
	reader
	mu       sync.Mutex // of the connection: one thing at a time is asked of it
	conn     connection
	token    []byte
	added    []store.RecordRow
	problems map[int64][]store.ProblemRow // of the records that were added
	banding  store.Banding
	last     map[key]int64 // numbers of segments and bands that were given out
	sheets   [][]any       // to be copied
	bands    [][]any
	parts    [][]any
	waiting  int        // bytes in these
	copying  chan error // tells how the copying ended that goes on meanwhile; nil for none
}

// key is what segments, or bands, are numbered in.
type key struct {
	table         string
	place, record int64
	layer         bool
}

// copyAt is how many bytes are copied at a time.
const copyAt = 4 << 20

func newUpdate(d *database, conn connection, token []byte) *update {
	u := &update{conn: conn, token: token, problems: map[int64][]store.ProblemRow{}, last: map[key]int64{}}
	u.reader = reader{u, d}
	u.banding.Write = u.writeBand
	return u
}

// ask implements asker: what was written is there before something is read.
func (u *update) ask(ctx context.Context, do func(connection) error) error {
	if err := u.copyAll(ctx); err != nil {
		return err
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	return named(do(u.conn))
}

func (u *update) exec(ctx context.Context, query string, args ...any) error {
	u.mu.Lock()
	defer u.mu.Unlock()
	return named(u.conn.exec(ctx, query, args...))
}

// finish writes what is left to be written.
func (u *update) finish(ctx context.Context) error {
	if err := u.banding.Flush(ctx); err != nil {
		return err
	}
	if err := u.copyAll(ctx); err != nil {
		return err
	}
	for i := range u.added {
		r := &u.added[i]
		problems := u.problems[r.Number]
		r.Problems = int64(len(problems))
		var rows [][]any
		for n, p := range problems {
			rows = append(rows, []any{r.Place, r.Number, int64(n), []byte(p.Path), []byte(p.Tried), []byte(p.Reason), p.Entries, p.Vanished})
		}
		if err := u.copy(ctx, "problem", []string{"place", "record", "n", "way", "tried", "reason", "entries", "vanished"}, rows); err != nil {
			return err
		}
		if err := u.exec(ctx, "UPDATE frank.record SET problems = $3, sum = $4 WHERE place = $1 AND number = $2", r.Place, r.Number, r.Problems, sumOf(r, problems)); err != nil {
			return err
		}
	}
	return nil
}

func (u *update) copy(ctx context.Context, table string, columns []string, rows [][]any) error {
	if len(rows) == 0 {
		return nil
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	return named(u.conn.copyIn(ctx, table, columns, rows))
}

// copyAll writes the segments and the bands that wait.
func (u *update) copyAll(ctx context.Context) error {
	if err := u.begin(ctx); err != nil {
		return err
	}
	return u.settle()
}

// begin begins to write what waits, once what was begun before is written: meanwhile more can be
// packed.
func (u *update) begin(ctx context.Context) error {
	if err := u.settle(); err != nil || len(u.sheets)+len(u.bands)+len(u.parts) == 0 {
		return err
	}
	sheets, bands, parts, ended := u.sheets, u.bands, u.parts, make(chan error, 1)
	u.sheets, u.bands, u.parts, u.waiting, u.copying = nil, nil, nil, 0, ended
	go func() {
		err := u.copy(ctx, "sheet", []string{"place", "record", "layer", "n", "folders", "names", "facts"}, sheets)
		if err == nil {
			err = u.copy(ctx, "band", []string{"place", "record", "layer", "n", "stored", "packed"}, bands)
		}
		if err == nil {
			err = u.copy(ctx, "band_part", []string{"place", "record", "layer", "n", "part", "content"}, parts)
		}
		ended <- err
	}()
	return nil
}

// settle waits until what was begun is written.
func (u *update) settle() error {
	if u.copying == nil {
		return nil
	}
	err := <-u.copying
	u.copying = nil
	return err
}

// next gives out a number in a table.
func (u *update) next(ctx context.Context, k key) (int64, error) {
	last, known := u.last[k]
	if !known {
		last = -1
		if !slices.ContainsFunc(u.added, func(r store.RecordRow) bool { return r.Number == k.record }) { // else there are none
			if _, err := u.one(ctx, "SELECT coalesce(max(n), -1) FROM frank."+k.table+" WHERE place = $1 AND record = $2 AND layer = $3", []any{k.place, k.record, k.layer}, &last); err != nil {
				return 0, err
			}
		}
	}
	if last++; last >= layerBit {
		return 0, fmt.Errorf("a record has too many segments")
	}
	u.last[k] = last
	return last, nil
}

// count gives out a number of a place or of a record. That is done by itself, so that nobody
// waits for it until the record is written: numbers that are not used are none.
func (u *update) count(ctx context.Context, name string, least int64) (number int64, err error) {
	conn, err := connectTo(ctx, u.d.config)
	if err != nil {
		return 0, named(err)
	}
	defer conn.close()
	if least > 0 {
		err = conn.exec(ctx, "UPDATE frank.counter SET last = $2 WHERE name = $1 AND last < $2", name, least)
		return least, named(err)
	}
	err = conn.one(ctx, "UPDATE frank.counter SET last = last + 1 WHERE name = $1 RETURNING last", []any{name}, &number)
	return number, named(err)
}

// AddRecord implements store.Update.
func (u *update) AddRecord(ctx context.Context, r store.RecordRow) (number, place int64, err error) {
	const find = "SELECT id FROM frank.place WHERE host = $1 AND path = $2"
	there, err := u.one(ctx, find, []any{r.Host, []byte(r.Path)}, &place)
	if err == nil && !there {
		if place, err = u.count(ctx, "place", 0); err == nil {
			err = u.exec(ctx, "INSERT INTO frank.place (id, host, path) VALUES ($1, $2, $3)", place, r.Host, []byte(r.Path))
		}
	}
	if err != nil {
		return 0, 0, err
	}
	if number, err = u.count(ctx, "record", r.Number); err != nil {
		return 0, 0, err
	}
	terms, err := json.Marshal(append([]string{}, r.Terms...))
	if err != nil {
		return 0, 0, err
	}
	r.Number, r.Place = number, place
	if err := u.exec(ctx, `INSERT INTO frank.record (place, number, token, label, taken, note, terms, algorithm, entries, bytes, unsized, problems, seal, self) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, 0, $12, $13)`,
		place, number, u.token, []byte(r.Label), r.Taken.UnixNano(), []byte(r.Note), terms, r.Algorithm, r.Entries, r.Bytes, r.Unsized, r.Tree[:], blob(r.Self)); err != nil {
		return 0, 0, err
	}
	u.added = append(u.added, r)
	u.d.learn(number, place)
	if r.Counted {
		err = u.SetCounts(ctx, number, r.Looked, r.Hidden)
	}
	return number, place, err
}

// SetCounts implements store.Update.
func (u *update) SetCounts(ctx context.Context, record, looked, hidden int64) error {
	place, err := u.placeOf(ctx, record)
	if err == nil {
		err = u.exec(ctx, "UPDATE frank.record SET looked = $3, hidden = $4 WHERE place = $1 AND number = $2", place, record, looked, hidden)
	}
	return err
}

// AddProblem implements store.Update.
func (u *update) AddProblem(_ context.Context, record int64, p store.ProblemRow) error {
	u.problems[record] = append(u.problems[record], p)
	return nil
}

// AddVolume implements store.Update.
func (u *update) AddVolume(ctx context.Context, place int64, id string, device uint64) error {
	return u.exec(ctx, "INSERT INTO frank.volume (place, id, device) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING", place, id, int64(device))
}

// SetStamps implements store.Update.
func (u *update) SetStamps(ctx context.Context, place, record int64, stamps []byte) error {
	return u.exec(ctx, "INSERT INTO frank.stamp (place, record, folders) VALUES ($1, $2, $3) ON CONFLICT (place) DO UPDATE SET record = excluded.record, folders = excluded.folders", place, record, blob(stamps))
}

// AddReread implements store.Update. It keeps the last thousand.
func (u *update) AddReread(ctx context.Context, place int64, r store.RereadRow) error {
	var last int64
	if _, err := u.one(ctx, "SELECT coalesce(max(n), 0) FROM frank.reread WHERE place = $1", []any{place}, &last); err != nil {
		return err
	}
	if err := u.exec(ctx, "INSERT INTO frank.reread (place, n, taken, first, next, whole, files, bytes) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)",
		place, last+1, r.Taken.UnixNano(), r.From, r.To, r.Whole, r.Files, r.Bytes); err != nil {
		return err
	}
	return u.exec(ctx, "DELETE FROM frank.reread WHERE place = $1 AND n <= $2", place, last+1-1000)
}

// AddMismatch implements store.Update.
func (u *update) AddMismatch(ctx context.Context, place int64, m store.MismatchRow) error {
	return u.exec(ctx, "INSERT INTO frank.mismatch (place, way, record, found, algorithm, before, now) VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT (place, way) DO UPDATE SET now = excluded.now",
		place, []byte(m.Path), m.Record, m.Found.UnixNano(), m.Algorithm, blob(m.Before), blob(m.Now))
}

// RemoveMismatch implements store.Update.
func (u *update) RemoveMismatch(ctx context.Context, place int64, path string) error {
	return u.exec(ctx, "DELETE FROM frank.mismatch WHERE place = $1 AND way = $2", place, []byte(path))
}

// AddSegment implements store.Update.
func (u *update) AddSegment(ctx context.Context, s store.SegmentRow) error {
	n, err := u.next(ctx, key{"sheet", s.Place, s.Record, s.Layer})
	if err != nil {
		return err
	}
	s.Number = numberOf(s.Record, s.Layer, n)
	if err := u.banding.Add(ctx, s); err != nil {
		return err
	}
	u.sheets = append(u.sheets, []any{s.Place, s.Record, s.Layer, n, slices.Clone(blob(s.Folders)), slices.Clone(blob(s.Names)), slices.Clone(blob(s.Facts))})
	return u.wait(ctx, len(s.Folders)+len(s.Names)+len(s.Facts))
}

// wait copies what waits, once that is enough.
func (u *update) wait(ctx context.Context, bytes int) error {
	if u.waiting += bytes; u.waiting < copyAt {
		return nil
	}
	return u.begin(ctx)
}

// writeBand keeps a band.
func (u *update) writeBand(ctx context.Context, of store.SegmentRow, stored int64, pack func(part func(int, []byte) error) (*encoding.Band, error)) error {
	n, err := u.next(ctx, key{"band", of.Place, of.Record, of.Layer})
	if err != nil {
		return err
	}
	band, err := pack(func(part int, content []byte) error {
		stored += int64(len(content))
		u.parts = append(u.parts, []any{of.Place, of.Record, of.Layer, n, int32(part), slices.Clone(blob(content))})
		return u.wait(ctx, len(content))
	})
	if err != nil {
		return err
	}
	packed := band.Pack()
	u.bands = append(u.bands, []any{of.Place, of.Record, of.Layer, n, stored + int64(len(packed)), packed})
	return nil
}

// RemoveSegments implements store.Update.
func (u *update) RemoveSegments(ctx context.Context, record int64) error {
	return u.removeKept(ctx, record, false)
}

// RemoveLayer implements store.Update.
func (u *update) RemoveLayer(ctx context.Context, record int64) error {
	return u.removeKept(ctx, record, true)
}

func (u *update) removeKept(ctx context.Context, record int64, layer bool) error {
	if err := u.banding.Flush(ctx); err != nil {
		return err
	}
	if err := u.copyAll(ctx); err != nil {
		return err
	}
	place, err := u.placeOf(ctx, record)
	if err != nil {
		return err
	}
	for _, table := range []string{"band_part", "band", "sheet"} {
		if err := u.exec(ctx, "DELETE FROM frank."+table+" WHERE place = $1 AND record = $2 AND layer = $3", place, record, layer); err != nil {
			return err
		}
	}
	return nil
}

// RemoveRecord implements store.Update.
func (u *update) RemoveRecord(ctx context.Context, record int64) error {
	if err := u.RemoveLayer(ctx, record); err != nil {
		return err
	}
	place, err := u.placeOf(ctx, record)
	if err != nil {
		return err
	}
	if err := u.exec(ctx, "DELETE FROM frank.problem WHERE place = $1 AND record = $2", place, record); err != nil {
		return err
	}
	if err := u.exec(ctx, "DELETE FROM frank.record WHERE place = $1 AND number = $2", place, record); err != nil {
		return err
	}
	var left bool
	if _, err := u.one(ctx, "SELECT EXISTS (SELECT 1 FROM frank.record WHERE place = $1)", []any{place}, &left); err != nil || left {
		return err
	}
	for _, table := range []string{"volume", "stamp", "reread", "mismatch"} {
		if err := u.exec(ctx, "DELETE FROM frank."+table+" WHERE place = $1", place); err != nil {
			return err
		}
	}
	return u.exec(ctx, "DELETE FROM frank.place WHERE id = $1", place)
}

// blob is never NULL.
func blob(content []byte) []byte {
	if content == nil {
		return []byte{}
	}
	return content
}

// sumOf is the digest over what is written of a record, but for its entries.
func sumOf(r *store.RecordRow, problems []store.ProblemRow) []byte {
	h := blake3.New()
	fmt.Fprintf(h, "%d %q %q %q %d %q %q %q %d %d %d %x %x\n", r.Number, r.Host, r.Path, r.Label, r.Taken.UnixNano(), r.Note, r.Terms, r.Algorithm, r.Entries, r.Bytes, r.Unsized, r.Tree, r.Self)
	for _, p := range slices.SortedFunc(slices.Values(problems), func(a, b store.ProblemRow) int {
		return cmp.Or(strings.Compare(a.Path, b.Path), strings.Compare(a.Tried, b.Tried), strings.Compare(a.Reason, b.Reason), cmp.Compare(a.Entries, b.Entries))
	}) {
		fmt.Fprintf(h, "%q %q %q %d %t\n", p.Path, p.Tried, p.Reason, p.Entries, p.Vanished)
	}
	return h.Sum(nil)[:16]
}
