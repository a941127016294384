package ledger

import (
	"bytes"
	"context"
	"errors"
	"slices"
	"strings"

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

// same tells whether nothing that is recorded of an entry is different now.
func (k *kept) same(e *entry.Entry) bool {
	var p, q packer
	k.pack(&p)
	q.put(e)
	return bytes.Equal(p.facts, q.facts)
}

// pack packs it again.
func (k *kept) pack(p *packer) {
	if k.gone {
		p.remove(k.entry.Name)
		return
	}
	e := k.entry
	if k.unread || k.entered {
		e.Inside = &entry.Folder{}
		if k.unread {
			e.Inside.MarkUnread()
		}
	}
	p.put(&e)
}

// all unpacks a piece, with what it says is gone.
func all(p piece) (entries []kept, err error) {
	u := unpacker{names: p.names, facts: p.facts}
	for {
		var k kept
		if !u.next(&k) {
			break
		}
		entries = append(entries, k)
	}
	if u.err != nil {
		return nil, errors.Join(ErrDamaged, u.err)
	}
	return entries, nil
}

// overlay lays the pieces of a folder over one another, the oldest first, and
// returns what it held after the last, in order of the bytes of names.
func overlay(pieces []piece) (entries []kept, err error) {
	for i, p := range pieces {
		fresh, err := all(p)
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
		rows, err := db.QueryContext(ctx, "SELECT names, facts FROM piece WHERE at BETWEEN ? AND ? ORDER BY at", id*recordSpan, id*recordSpan+s.record.Number)
		if err != nil {
			return 0, named(err)
		}
		var pieces []piece
		for rows.Next() {
			var p piece
			if err := rows.Scan(&p.names, &p.facts); err != nil {
				rows.Close()
				return 0, named(err)
			}
			pieces = append(pieces, p)
		}
		if err := rows.Close(); err != nil {
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

// Place implements source.Source.
func (s *Source) Place() *entry.Place { return &s.place }

// Read implements source.Source. What a record has no notion of, as whether a
// file can be read now, is not known of its entries.
func (s *Source) Read(ctx context.Context, request source.Request, sink source.Sink) (report source.Report, err error) {
	r := &reader{ctx: ctx, source: s, request: request, visit: sink.Visitor(), report: &report}
	if request.Condition != nil {
		r.test = request.Condition.Test()
	}
	if err := r.problems(); err != nil {
		return report, named(err)
	}
	if err := r.load(); err != nil {
		return report, named(err)
	}
	id, err := s.start(ctx)
	if err == nil {
		err = r.folder(&entry.Folder{Place: &s.place}, id)
	}
	report.SortProblems()
	return report, err
}

// reader reads one record.
type reader struct {
	ctx     context.Context
	source  *Source
	request source.Request
	visit   source.Visitor
	test    source.Test
	report  *source.Report
	ids     map[folderKey]int64
	pieces  map[int64][]piece // by folder, the oldest first
}

// problems tells what could not be read when the record was taken.
func (r *reader) problems() error {
	rows, err := r.source.ledger.db.QueryContext(r.ctx, "SELECT path, tried, reason, entries, vanished FROM problem WHERE record = ?", r.source.record.Number)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var p source.Problem
		var path []byte
		var reason string
		if err := rows.Scan(&path, &p.Tried, &reason, &p.Entries, &p.Vanished); err != nil {
			return err
		}
		p.Path, p.Err = string(path), errors.New(reason)
		r.report.Problems = append(r.report.Problems, p)
	}
	return rows.Err()
}

// load reads the folders and their pieces up to the record.
func (r *reader) load() error {
	r.ids, r.pieces = map[folderKey]int64{}, map[int64][]piece{}
	db, root := r.source.ledger.db, r.source.record.root
	rows, err := db.QueryContext(r.ctx, "SELECT id, parent, name FROM folder WHERE root = ?", root)
	if err != nil {
		return err
	}
	for rows.Next() {
		var id, parent int64
		var name []byte
		if err := rows.Scan(&id, &parent, &name); err != nil {
			rows.Close()
			return err
		}
		r.ids[folderKey{parent, string(name)}] = id
	}
	if err := rows.Close(); err != nil {
		return err
	}
	rows, err = db.QueryContext(r.ctx, "SELECT p.at, p.names, p.facts FROM piece p JOIN folder f ON f.id = p.at / 1048576 WHERE f.root = ? AND p.at % 1048576 <= ? ORDER BY p.at",
		root, r.source.record.Number)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var at int64
		var p piece
		if err := rows.Scan(&at, &p.names, &p.facts); err != nil {
			return err
		}
		r.pieces[at/recordSpan] = append(r.pieces[at/recordSpan], p)
	}
	return rows.Err()
}

// folder gives what is in a folder, and below it.
func (r *reader) folder(folder *entry.Folder, id int64) error {
	if err := r.ctx.Err(); err != nil {
		return err
	}
	held, err := overlay(r.pieces[id])
	if err != nil {
		return err
	}
	r.report.Folders++
	type step struct {
		folder *entry.Folder
		id     int64
	}
	var below []step
	var batch []entry.Entry
	for i := range held {
		e := &held[i].entry
		e.Folder = folder
		hidden := e.Hidden()
		if hidden && r.request.Hidden == source.OmitHidden {
			r.report.Hidden++
			continue
		}
		if e.Kind == entry.KindFolder && folder.Depth+1 < r.request.Depth {
			inside := entry.NewFolder(folder, e.Name)
			switch {
			case r.request.Skip != nil && r.request.Skip(inside):
				r.report.Skipped++
			case held[i].unread:
				inside.MarkUnread()
				e.Inside = inside
			case held[i].entered:
				e.Inside = inside
				below = append(below, step{inside, r.ids[folderKey{id, e.Name}]})
			}
		}
		if !hidden && r.request.Hidden == source.OnlyHidden {
			continue
		}
		if r.test != nil {
			r.report.Tested++
			if r.test(e, ^entry.Facts(0)) != source.Yes {
				continue
			}
		}
		batch = append(batch, *e)
	}
	if len(batch) > 0 {
		if err := r.visit(batch); err != nil {
			return err
		}
	}
	for _, b := range below {
		if err := r.folder(b.folder, b.id); err != nil {
			return err
		}
	}
	return nil
}
