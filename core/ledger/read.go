package ledger

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// piece is what one record says of a folder.
type piece struct{ names, facts []byte }

// kept is an entry as it was recorded.
type kept struct {
	entry   entry.Entry
	gone    bool // it is there no longer
	unread  bool // a folder that could not be read
	entered bool // a folder that was gone into
}

// same tells whether nothing that is recorded of two entries differs.
func (k *kept) same(now *kept) bool {
	var p, q packer
	k.pack(&p)
	now.pack(&q)
	return bytes.Equal(p.names, q.names) && bytes.Equal(p.facts, q.facts)
}

// pack packs it again.
func (k *kept) pack(p *packer) {
	if k.gone {
		p.remove(k.entry.Name)
		return
	}
	p.put(&k.entry, k.entered, k.unread)
}

// appendAll unpacks a piece, with what it says is gone.
func appendAll(entries []kept, p piece) ([]kept, error) {
	u := unpacker{names: p.names, facts: p.facts}
	for {
		var k kept
		if !u.nextName(&k) || !k.gone && !u.nextFacts(&k.entry) {
			break
		}
		entries = append(entries, k)
	}
	if u.err != nil {
		return nil, fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return entries, nil
}

// overlay lays the pieces of a folder over one another, the oldest first, and
// returns what it held after the last, in order of the bytes of names.
func overlay(pieces []piece) (entries []kept, err error) {
	for i, p := range pieces {
		fresh, err := appendAll(nil, p)
		if err != nil {
			return nil, err
		}
		if entries = merge(entries, fresh); i == len(pieces)-1 {
			entries = slices.DeleteFunc(entries, func(k kept) bool { return k.gone })
		}
	}
	return entries, nil
}

// merge puts two lists in order of names together; the second has the say.
func merge(old, fresh []kept) []kept {
	merged := make([]kept, 0, len(old)+len(fresh))
	for len(old) > 0 && len(fresh) > 0 {
		switch c := strings.Compare(old[0].entry.Name, fresh[0].entry.Name); {
		case c < 0:
			merged, old = append(merged, old[0]), old[1:]
		case c > 0:
			merged, fresh = append(merged, fresh[0]), fresh[1:]
		default:
			merged, old, fresh = append(merged, fresh[0]), old[1:], fresh[1:]
		}
	}
	return append(append(merged, old...), fresh...)
}

// Source is a record, or a folder in one, as a source of entries.
type Source struct {
	ledger *Ledger
	record Record
	way    []string // to the folder
	place  entry.Place
}

// ErrNoFolder is returned for a folder that a record does not have.
var ErrNoFolder = errors.New("there is no such folder in the record")

// Source returns a record as a source, or a folder in it by its way from the
// place, under the name that it was asked for by.
func (l *Ledger) Source(ctx context.Context, r Record, way, given string, index int) (*Source, error) {
	s := &Source{ledger: l, record: r, place: entry.Place{Index: index, Given: given, Full: r.Place,
		Record: &entry.Record{Number: r.Number, Label: r.Label, Taken: entry.TimeOf(r.Taken)}}}
	if way != "" {
		s.way = strings.Split(way, "/")
		s.place.Full = strings.TrimSuffix(r.Place, "/") + "/" + way
	}
	_, err := s.start(ctx)
	return s, err
}

// start finds the number of the folder.
func (s *Source) start(ctx context.Context) (id int64, err error) {
	db := s.ledger.db
	id = s.record.root
	for _, name := range s.way {
		pieces, err := piecesOf(ctx, db, id, s.record.Number)
		if err != nil {
			return 0, named(err)
		}
		held, err := overlay(pieces)
		if err != nil {
			return 0, err
		}
		if !slices.ContainsFunc(held, func(k kept) bool { return k.entry.Name == name && k.entered }) {
			return 0, ErrNoFolder
		}
		if err := db.QueryRowContext(ctx, "SELECT id FROM folder WHERE root = ? AND parent = ? AND name = ?", s.record.root, id, []byte(name)).Scan(&id); err != nil {
			return 0, named(err)
		}
	}
	return id, nil
}

// piecesOf reads what is said of a folder up to a record, the oldest first.
func piecesOf(ctx context.Context, q querier, folder, record int64) (pieces []piece, err error) {
	err = each(ctx, q, func(rows *sql.Rows) error {
		var p piece
		err := rows.Scan(&p.names, &p.facts)
		pieces = append(pieces, p)
		return err
	}, "SELECT names, facts FROM piece WHERE at BETWEEN ? AND ? ORDER BY at", folder*recordSpan, folder*recordSpan+record)
	return pieces, err
}

// Place implements source.Source.
func (s *Source) Place() *entry.Place { return &s.place }

// Read implements source.Source. What a record has no notion of, as whether a
// file can be read now, is not known of its entries.
func (s *Source) Read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	r := &reading{ctx: ctx, source: s, request: request, sink: sink}
	start, err := s.start(ctx)
	if err == nil {
		err = r.problems()
	}
	if err == nil {
		err = r.load()
	}
	if err != nil {
		return r.report, named(err)
	}
	r.changed.L = &r.mu
	r.steps = []step{{&entry.Folder{Place: &s.place}, start}}
	var group sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		group.Go((&reader{reading: r}).work)
	}
	group.Wait()
	r.report.SortProblems()
	if r.err == nil {
		r.err = ctx.Err()
	}
	return r.report, r.err
}

// reading is one reading of a record, by several readers.
type reading struct {
	ctx     context.Context
	source  *Source
	request source.Request
	sink    source.Sink
	ids     map[folderKey]int64
	pieces  map[int64][]piece // by folder, the oldest first

	mu      sync.Mutex
	changed sync.Cond
	steps   []step // folders to be given
	busy    int    // readers that have one
	report  source.Report
	err     error // the first
}

// step is a folder to be given, and its number.
type step struct {
	folder *entry.Folder
	id     int64
}

// problems tells what could not be read when the record was taken.
func (r *reading) problems() error {
	return each(r.ctx, r.source.ledger.db, func(rows *sql.Rows) error {
		var p source.Problem
		var path []byte
		var reason string
		err := rows.Scan(&path, &p.Tried, &reason, &p.Entries, &p.Vanished)
		p.Path, p.Err = string(path), errors.New(reason)
		r.report.Problems = append(r.report.Problems, p)
		return err
	}, "SELECT path, tried, reason, entries, vanished FROM problem WHERE record = ?", r.source.record.Number)
}

// load reads the folders and their pieces up to the record.
func (r *reading) load() error {
	r.ids, r.pieces = map[folderKey]int64{}, map[int64][]piece{}
	db, root := r.source.ledger.db, r.source.record.root
	last := root
	if err := each(r.ctx, db, func(rows *sql.Rows) error {
		var id, parent int64
		var name []byte
		err := rows.Scan(&id, &parent, &name)
		r.ids[folderKey{parent, string(name)}], r.pieces[id] = id, nil
		last = max(last, id)
		return err
	}, "SELECT id, parent, name FROM folder WHERE root = ?", root); err != nil {
		return err
	}
	// A place's folders lie mostly together; what is of others is passed over.
	return each(r.ctx, db, func(rows *sql.Rows) error {
		var at int64
		var p piece
		err := rows.Scan(&at, &p.names, &p.facts)
		if pieces, ours := r.pieces[at/recordSpan]; ours && at%recordSpan <= r.source.record.Number {
			r.pieces[at/recordSpan] = append(pieces, p)
		}
		return err
	}, "SELECT at, names, facts FROM piece WHERE at BETWEEN ? AND ? ORDER BY at", root*recordSpan, (last+1)*recordSpan)
}

// reader is one goroutine's share of a reading.
type reader struct {
	*reading
	visit    source.Visitor
	test     source.Test
	report   source.Report
	verdicts []source.Verdict
	batch    []entry.Entry
}

// work gives folders until there are none left.
func (r *reader) work() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.visit = r.sink.Visitor()
	if r.request.Condition != nil {
		r.test = r.request.Condition.Test()
	}
	for {
		for len(r.steps) == 0 && r.busy > 0 {
			r.changed.Wait()
		}
		if len(r.steps) == 0 || r.err != nil || r.ctx.Err() != nil {
			break
		}
		next := r.steps[len(r.steps)-1]
		r.steps = r.steps[:len(r.steps)-1]
		r.busy++
		r.mu.Unlock()
		below, err := r.folder(next)
		r.mu.Lock()
		r.busy--
		r.steps = append(r.steps, below...)
		if err != nil && r.err == nil {
			r.err = err
		}
		r.changed.Broadcast()
	}
	r.reading.report.Add(r.report)
	r.changed.Broadcast()
}

// folder gives what is in a folder, and returns the folders in it to be given.
// Facts are only unpacked where names and kinds leave something open, or where
// more is asked for of what is given.
func (r *reader) folder(s step) (below []step, err error) {
	pieces := r.pieces[s.id]
	full := len(pieces) != 1
	var held []kept
	if full {
		held, err = overlay(pieces)
	} else {
		held, err = namesOf(pieces[0])
	}
	if err != nil {
		return nil, err
	}
	r.report.Folders++
	r.verdicts = r.verdicts[:0]
	wanted := false
	for i := range held {
		verdict := r.choose(s.folder, &held[i], &below, s.id)
		r.verdicts = append(r.verdicts, verdict)
		wanted = wanted || verdict == source.Open || verdict == source.Yes && r.request.Facts != 0
	}
	for _, b := range below {
		if b.id == 0 {
			return nil, fmt.Errorf("%w: a folder is not there", ErrDamaged)
		}
	}
	if wanted && !full {
		if err := addFacts(held, pieces[0]); err != nil {
			return nil, err
		}
	}
	return below, r.give(held)
}

// choose decides, as far as name and kind tell, whether an entry is given, and
// notes a folder to be gone into.
func (r *reader) choose(folder *entry.Folder, k *kept, below *[]step, id int64) source.Verdict {
	e := &k.entry
	e.Folder = folder
	hidden := e.Hidden()
	if hidden && r.request.Hidden == source.OmitHidden {
		r.report.Hidden++
		return source.No
	}
	if e.Kind == entry.KindFolder && folder.Depth+1 < r.request.Depth {
		inside := entry.NewFolder(folder, e.Name)
		switch {
		case r.request.Skip != nil && r.request.Skip(inside):
			r.report.Skipped++
		case k.unread:
			inside.MarkUnread()
			e.Inside = inside
		case k.entered:
			e.Inside = inside
			*below = append(*below, step{inside, r.ids[folderKey{id, e.Name}]})
		}
	}
	switch {
	case !hidden && r.request.Hidden == source.OnlyHidden:
		return source.No
	case r.test == nil:
		return source.Yes
	}
	r.report.Tested++
	return r.test(e, 0)
}

// give hands over the entries that are chosen.
func (r *reader) give(held []kept) error {
	r.batch = r.batch[:0]
	var size int64
	for i := range held {
		e := &held[i].entry
		if r.verdicts[i] == source.Open {
			r.verdicts[i] = r.test(e, ^entry.Facts(0))
		}
		if r.verdicts[i] != source.Yes {
			continue
		}
		if e.HasSize() {
			size += e.Size
		}
		r.batch = append(r.batch, *e)
	}
	if p := r.request.Progress; p != nil {
		p.Entries.Add(int64(len(r.batch)))
		p.Bytes.Add(size)
		p.Folders.Add(1)
	}
	if len(r.batch) == 0 {
		return nil
	}
	return r.visit(r.batch)
}

// namesOf unpacks names and kinds of a first piece.
func namesOf(p piece) (entries []kept, err error) {
	u := unpacker{names: p.names}
	for {
		var k kept
		if !u.nextName(&k) {
			break
		}
		if !k.gone {
			entries = append(entries, k)
		}
	}
	if u.err != nil {
		return nil, fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return entries, nil
}

// addFacts adds the facts to entries of which the names are unpacked.
func addFacts(entries []kept, p piece) error {
	u := unpacker{names: p.names, facts: p.facts}
	for i := range entries {
		var k kept
		for u.nextName(&k) && k.gone {
		}
		if !u.nextFacts(&entries[i].entry) {
			break
		}
	}
	if u.err != nil {
		return fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return nil
}
