package postgres

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/zeebo/blake3"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/store/banding"
)

// update changes the database in a transaction.
type update struct {
	reader
	mu       sync.Mutex // of the connection: one thing at a time is asked of it
	conn     connection
	token    []byte
	added    []store.RecordRow
	pending  *store.RecordRow   // that is being added: the last of these; nil once it is written
	problems []store.ProblemRow // of it
	changing map[string]bool    // hosts whose rows are locked
	taken    map[string][]int64 // numbers that were given out to hosts before, and are used
	banding  banding.Maker
	last     map[key]int64 // numbers of segments and bands that were given out
	segments [][]any       // to be sent
	bands    [][]any
	parts    [][]any
	waiting  int        // bytes in these
	failed   error      // of the first statement that failed
	sending  chan error // tells how the sending ended that goes on meanwhile; nil for none
}

// key is what segments, or bands, are numbered in.
type key struct {
	table         string
	place, record int64
	layer         bool
}

// sendAt is how many bytes are sent at a time.
const sendAt = 4 << 20

func newUpdate(d *database, conn connection, token []byte) *update {
	u := &update{conn: conn, token: token, changing: map[string]bool{}, taken: map[string][]int64{}, last: map[key]int64{}}
	u.reader = reader{u, d}
	u.banding.Write = u.writeBand
	return u
}

// ask implements asker: what was written is there before something is read.
func (u *update) ask(ctx context.Context, do func(connection) error) error {
	if err := u.sendAll(ctx); err != nil {
		return err
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.noted(do(u.conn))
}

// noted names an error, and keeps the first. The connection is held.
func (u *update) noted(err error) error {
	if err = named(err); u.failed == nil {
		u.failed = err
	}
	return err
}

func (u *update) exec(ctx context.Context, query string, args ...any) error {
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.noted(u.conn.exec(ctx, query, args...))
}

// finish writes what is left to be written.
func (u *update) finish(ctx context.Context) error {
	if err := u.banding.Flush(ctx); err != nil {
		return err
	}
	if err := u.sendAll(ctx); err != nil {
		return err
	}
	return u.seal(ctx)
}

// Records implements store.Reader: those that were added are among them.
func (u *update) Records(ctx context.Context) ([]store.RecordRow, error) {
	if err := u.finish(ctx); err != nil {
		return nil, err
	}
	return u.reader.Records(ctx)
}

// Stored implements store.Update.
func (u *update) Stored(ctx context.Context, place, record int64) (stored int64, err error) {
	if err := u.finish(ctx); err != nil {
		return 0, err
	}
	err = u.each(ctx, func(values row) error { return values.scan(&stored) },
		"SELECT "+summed("stored")+" FROM frank.band WHERE place = $1 AND record = $2 AND NOT layer", place, record)
	return stored, err
}

// seal writes the row of the record that is being added, after all that belongs to it: from
// then on, nobody but keepers adds to it.
func (u *update) seal(ctx context.Context) error {
	r := u.pending
	if r == nil {
		return nil
	}
	u.pending = nil
	terms, err := json.Marshal(append([]string{}, r.Terms...))
	if err != nil {
		return err
	}
	r.Problems = int64(len(u.problems))
	var rows [][]any
	for n, p := range u.problems {
		rows = append(rows, []any{r.Place, r.Number, int64(n), []byte(p.Path), []byte(p.Tried), []byte(p.Reason), p.Entries, p.Vanished})
	}
	if err := u.insert(ctx, "problem", []string{"place", "record", "n", "way", "tried", "reason", "entries", "vanished"}, rows); err != nil {
		return err
	}
	var looked, hidden *int64
	if r.Counted {
		looked, hidden = &r.Looked, &r.Hidden
	}
	sum := sumOf(r, u.problems)
	u.problems = nil
	return u.exec(ctx, `INSERT INTO frank.record (place, number, token, label, taken, note, terms, algorithm, entries, bytes, unsized, looked, hidden, problems, seal, self, sum, turn)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18)`,
		r.Place, r.Number, u.token, []byte(r.Label), r.Taken.UnixNano(), []byte(r.Note), terms, r.Algorithm, r.Entries, r.Bytes, r.Unsized, looked, hidden, r.Problems, r.Tree[:], blob(r.Self), sum, r.Turn)
}

func (u *update) insert(ctx context.Context, table string, columns []string, rows [][]any) error {
	if len(rows) == 0 {
		return nil
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.noted(u.conn.insert(ctx, table, columns, rows))
}

// sendAll sends the segments and the bands that wait.
func (u *update) sendAll(ctx context.Context) error {
	if err := u.begin(ctx); err != nil {
		return err
	}
	return u.settle()
}

// begin begins to send what waits, once what was begun before is sent: meanwhile more can be
// packed.
func (u *update) begin(ctx context.Context) error {
	if err := u.settle(); err != nil || len(u.segments)+len(u.bands)+len(u.parts) == 0 {
		return err
	}
	segments, bands, parts, ended := u.segments, u.bands, u.parts, make(chan error, 1)
	u.segments, u.bands, u.parts, u.waiting, u.sending = nil, nil, nil, 0, ended
	go func() {
		err := u.insert(ctx, "sheet", []string{"place", "record", "layer", "n", "folders", "names", "facts"}, segments)
		if err == nil {
			err = u.insert(ctx, "band", []string{"place", "record", "layer", "n", "stored", "packed"}, bands)
		}
		if err == nil {
			err = u.insert(ctx, "band_part", []string{"place", "record", "layer", "n", "part", "content"}, parts)
		}
		ended <- err
	}()
	return nil
}

// settle waits until what was begun is sent.
func (u *update) settle() error {
	if u.sending == nil {
		return nil
	}
	err := <-u.sending
	u.sending = nil
	return err
}

// longWait is how long to wait for another writer without saying so.
const longWait = 2 * time.Second

// change has nobody else write of a host until the transaction ends: who is second begins anew.
func (u *update) change(ctx context.Context, host string) error {
	if u.changing[host] {
		return nil
	}
	u.changing[host] = true
	u.d.known.Lock()
	tell := u.d.waiting
	u.d.known.Unlock()
	if tell != nil {
		defer time.AfterFunc(longWait, func() { tell(host) }).Stop()
	}
	var another bool
	if _, err := u.one(ctx, "SELECT frank.change($1, $2)", []any{host, u.d.machineOf(host)}, &another); err != nil {
		return err
	}
	u.d.known.Lock()
	defer u.d.known.Unlock()
	u.d.namesake = u.d.namesake || another
	return nil
}

// changeAt does so for the host of a place.
func (u *update) changeAt(ctx context.Context, place int64) error {
	if u.pending != nil && u.pending.Place == place {
		return nil
	}
	host, known := u.d.hostOf(place)
	if !known {
		there, err := u.one(ctx, "SELECT host FROM frank.place WHERE id = $1", []any{place}, &host)
		if err != nil || !there {
			return err
		}
		u.d.learnHost(place, host)
	}
	return u.change(ctx, host)
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

// AddRecord implements store.Update.
func (u *update) AddRecord(ctx context.Context, r store.RecordRow) (number, place int64, err error) {
	if err := u.finish(ctx); err != nil { // the record before
		return 0, 0, err
	}
	if err := u.change(ctx, r.Host); err != nil {
		return 0, 0, err
	}
	if number, err = u.number(r.Host); err != nil {
		return 0, 0, err
	}
	var last int64
	there, err := u.one(ctx, "SELECT p.id, (SELECT coalesce(max(r.number), 0) FROM frank.record r WHERE r.place = p.id) FROM frank.place p WHERE p.host = $1 AND sha256(p.path) = sha256($2) AND p.path = $2", []any{r.Host, []byte(r.Path)}, &place, &last)
	switch {
	case err != nil:
	case !there:
		_, err = u.one(ctx, "SELECT frank.begin_place($1, $2)", []any{r.Host, []byte(r.Path)}, &place)
	case last >= number: // it was given out before that of another program, which is written
		err = fmt.Errorf("%w: record %d was written first", store.ErrAgain, last)
	}
	if err != nil {
		return 0, 0, err
	}
	r.Number, r.Place = number, place
	u.added = append(u.added, r)
	u.pending = &u.added[len(u.added)-1]
	u.d.learn(number, place)
	u.d.learnHost(place, r.Host)
	return number, place, nil
}

// SetCounts implements store.Update.
func (u *update) SetCounts(ctx context.Context, record, looked, hidden int64) error {
	if u.pending != nil && u.pending.Number == record {
		u.pending.Looked, u.pending.Hidden, u.pending.Counted = looked, hidden, true
		return nil
	}
	place, err := u.placeOf(ctx, record)
	if err == nil {
		err = u.changeAt(ctx, place)
	}
	if err == nil {
		err = u.exec(ctx, "SELECT frank.set_counts($1, $2, $3, $4)", place, record, looked, hidden)
	}
	return err
}

// AddProblem implements store.Update.
func (u *update) AddProblem(_ context.Context, record int64, p store.ProblemRow) error {
	if u.pending == nil || u.pending.Number != record {
		return fmt.Errorf("record %d is written", record)
	}
	u.problems = append(u.problems, p)
	return nil
}

// AddDropped implements store.Update.
func (u *update) AddDropped(ctx context.Context, host, id string) error {
	if err := u.change(ctx, host); err != nil {
		return err
	}
	return u.exec(ctx, "SELECT frank.add_dropped($1, $2)", host, []byte(id))
}

// AddVolume implements store.Update.
func (u *update) AddVolume(ctx context.Context, place int64, id string, device uint64) error {
	return u.exec(ctx, "INSERT INTO frank.volume (place, id, device) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING", place, id, int64(device))
}

// SetStamps implements store.Update.
func (u *update) SetStamps(ctx context.Context, place, record int64, stamps []byte) error {
	return u.exec(ctx, "SELECT frank.set_stamps($1, $2, $3)", place, record, blob(stamps))
}

// AddReread implements store.Update. The last thousand are kept.
func (u *update) AddReread(ctx context.Context, place int64, r store.RereadRow) error {
	return u.exec(ctx, "SELECT frank.add_reread($1, $2, $3, $4, $5, $6, $7)", place, r.Taken.UnixNano(), r.From, r.To, r.Whole, r.Files, r.Bytes)
}

// AddMismatch implements store.Update.
func (u *update) AddMismatch(ctx context.Context, place int64, m store.MismatchRow) error {
	return u.exec(ctx, "SELECT frank.add_mismatch($1, $2, $3, $4, $5, $6, $7)", place, []byte(m.Path), m.Record, m.Found.UnixNano(), m.Algorithm, blob(m.Before), blob(m.Now))
}

// RemoveMismatch implements store.Update.
func (u *update) RemoveMismatch(ctx context.Context, place int64, path string) error {
	if err := u.changeAt(ctx, place); err != nil {
		return err
	}
	return u.exec(ctx, "SELECT frank.drop_mismatch($1, $2)", place, []byte(path))
}

// AddSegment implements store.Update.
func (u *update) AddSegment(ctx context.Context, s store.SegmentRow) error {
	if err := u.changeAt(ctx, s.Place); err != nil {
		return err
	}
	n, err := u.next(ctx, key{"sheet", s.Place, s.Record, s.Layer})
	if err != nil {
		return err
	}
	s.Number = numberOf(s.Record, s.Layer, n)
	if err := u.banding.Add(ctx, s); err != nil {
		return err
	}
	u.segments = append(u.segments, []any{s.Place, s.Record, s.Layer, n, slices.Clone(blob(s.Folders)), slices.Clone(blob(s.Names)), slices.Clone(blob(s.Facts))})
	return u.wait(ctx, len(s.Folders)+len(s.Names)+len(s.Facts))
}

// wait sends what waits, once that is enough.
func (u *update) wait(ctx context.Context, bytes int) error {
	if u.waiting += bytes; u.waiting < sendAt {
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
	if err := u.sendAll(ctx); err != nil {
		return err
	}
	place, err := u.placeOf(ctx, record)
	if err == nil {
		err = u.changeAt(ctx, place)
	}
	if err != nil {
		return err
	}
	return u.exec(ctx, "SELECT frank.drop_kept($1, $2, $3)", place, record, layer)
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
	switch {
	case u.pending == nil:
	case u.pending.Number == record:
		u.pending, u.problems = nil, nil
	default: // else the place of the one that was added might seem to have none
		if err := u.finish(ctx); err != nil {
			return err
		}
	}
	return u.exec(ctx, "SELECT frank.drop_record($1, $2)", place, record)
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
