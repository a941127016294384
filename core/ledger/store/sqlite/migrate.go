package sqlite

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"time"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Version 1 kept a row for each delta and each tree hash, by folder * 1048576 +
// record, and the problems' paths as the place was given.

// fromVersion1 brings a ledger of version 1 up to this one. Deltas are packed in
// the same way.
func fromVersion1(ctx context.Context, tx *sql.Tx) error {
	for _, table := range []string{"record", "problem"} {
		if _, err := tx.ExecContext(ctx, "ALTER TABLE "+table+" RENAME TO "+table+"1"); err != nil {
			return err
		}
	}
	if _, err := tx.ExecContext(ctx, schema()); err != nil {
		return err
	}
	var records []store.RecordRow
	if err := each(ctx, tx, func(rows *sql.Rows) error {
		var r store.RecordRow
		var path []byte
		var taken int64
		err := rows.Scan(&r.Number, &r.Label, &r.Host, &path, &r.Place, &taken, &r.Note, &r.Entries, &r.Bytes)
		r.Path, r.Taken = string(path), time.Unix(0, taken)
		records = append(records, r)
		return err
	}, "SELECT id, label, host, place, root, taken, note, entries, bytes FROM record1 ORDER BY id"); err != nil {
		return err
	}
	trees := map[int64]*tree1{}
	for _, r := range records {
		t := trees[r.Place]
		if t == nil {
			t = &tree1{ctx: ctx, tx: tx, root: r.Place, folders: map[int64]*folder1{}, ids: map[key1]int64{}}
			if err := t.load(); err != nil {
				return err
			}
			trees[r.Place] = t
		}
		if err := t.move(r); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, fmt.Sprintf("DROP TABLE record1; DROP TABLE problem1; DROP TABLE folder; DROP TABLE piece; DROP TABLE seal; PRAGMA user_version = %d", version))
	return err
}

// fromVersion2 brings a ledger of version 2 up to this one: it had no summaries.
func fromVersion2(ctx context.Context, tx *sql.Tx) error {
	if _, err := tx.ExecContext(ctx, bandTables+countsTable); err != nil {
		return err
	}
	u := newUpdate(tx)
	var segments []int64
	if err := each(ctx, tx, func(rows *sql.Rows) error {
		var id int64
		err := rows.Scan(&id)
		segments = append(segments, id)
		return err
	}, "SELECT id FROM sheet ORDER BY place, record, id"); err != nil {
		return err
	}
	for _, id := range segments {
		s := store.SegmentRow{Number: id}
		if err := tx.QueryRowContext(ctx, "SELECT place, record, folders, names, facts FROM sheet WHERE id = ?", id).Scan(&s.Place, &s.Record, &s.Folders, &s.Names, &s.Facts); err != nil {
			return err
		}
		if err := u.bands.Add(ctx, s); err != nil {
			return err
		}
	}
	if err := u.bands.Flush(ctx); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, fmt.Sprintf("PRAGMA user_version = %d", version))
	return err
}

// fromVersion3 brings a ledger of version 3 up to this one: it knew neither in which turn
// records were made, nor which had been taken away. Programs of version 3 that knew nothing
// of attributes took these for damage.
func fromVersion3(ctx context.Context, tx *sql.Tx) error {
	_, err := tx.ExecContext(ctx, "ALTER TABLE record ADD COLUMN turn INTEGER NOT NULL DEFAULT 0;"+droppedTable+fmt.Sprintf("PRAGMA user_version = %d", version))
	return err
}

// tree1 is what version 1 has of a place.
type tree1 struct {
	ctx     context.Context
	tx      *sql.Tx
	root    int64
	folders map[int64]*folder1
	order   []*folder1 // those above first
	ids     map[key1]int64
	unread  map[string]bool // paths of folders that could not be read, from the place
}

// key1 is a folder by the one that it lies in.
type key1 struct {
	parent int64
	name   string
}

// folder1 is a folder, as far as the records were moved.
type folder1 struct {
	encoding.FolderVersion
	deltas  []encoding.Delta
	written bool
	changed bool
}

func (t *tree1) load() error {
	return each(t.ctx, t.tx, func(rows *sql.Rows) error {
		var id, parent int64
		var name []byte
		if err := rows.Scan(&id, &parent, &name); err != nil {
			return err
		}
		f := &folder1{}
		f.Number = uint64(len(t.order)) + encoding.Root
		if above := t.folders[parent]; above != nil {
			f.Parent, f.Name = above.Number, string(name)
		}
		t.folders[id], t.ids[key1{parent, string(name)}] = f, id
		t.order = append(t.order, f)
		return nil
	}, "SELECT id, parent, name FROM folder WHERE root = ? ORDER BY id", t.root)
}

// move moves one record; those before it were moved.
func (t *tree1) move(r store.RecordRow) error {
	for _, f := range t.order {
		f.changed, f.HasDelta, f.Fresh = false, false, false
	}
	if err := each(t.ctx, t.tx, func(rows *sql.Rows) error {
		var id int64
		var d encoding.Delta
		err := rows.Scan(&id, &d.Names, &d.Facts)
		if f := t.folders[id]; f != nil {
			f.deltas, f.HasDelta, f.changed = append(f.deltas, d), true, true
		}
		return err
	}, "SELECT p.at / 1048576, p.names, p.facts FROM piece p JOIN folder f ON f.id = p.at / 1048576 WHERE f.root = ? AND p.at % 1048576 = ?", t.root, r.Number); err != nil {
		return err
	}
	t.unread = map[string]bool{}
	var err error
	if r.Tree, err = t.hash(t.root, ""); err != nil {
		return err
	}
	u := newUpdate(t.tx)
	if _, r.Place, err = u.AddRecord(t.ctx, r); err != nil {
		return err
	}
	segments := encoding.SegmentWriter{Write: func(ctx context.Context, s encoding.Segment) error {
		return u.AddSegment(ctx, store.SegmentRow{Place: r.Place, Record: r.Number, Segment: s})
	}}
	for _, f := range t.order {
		if !f.changed {
			continue
		}
		var d encoding.Delta
		if f.Fresh = !f.written; f.Fresh {
			f.HasDelta = true
		}
		if f.written = true; f.HasDelta && len(f.deltas) > 0 {
			d = f.deltas[len(f.deltas)-1]
		}
		if err := segments.Add(t.ctx, &f.FolderVersion, d); err != nil {
			return err
		}
	}
	if err := segments.Flush(t.ctx); err != nil {
		return err
	}
	var problems []store.ProblemRow
	if err := each(t.ctx, t.tx, func(rows *sql.Rows) error {
		var p store.ProblemRow
		var path []byte
		err := rows.Scan(&path, &p.Tried, &p.Reason, &p.Entries, &p.Vanished)
		p.Path = t.fromPlace(string(path))
		problems = append(problems, p)
		return err
	}, "SELECT path, tried, reason, entries, vanished FROM problem1 WHERE record = ?", r.Number); err != nil {
		return err
	}
	for _, p := range problems {
		if err := u.AddProblem(t.ctx, r.Number, p); err != nil {
			return err
		}
	}
	if err := u.bands.Flush(t.ctx); err != nil {
		return err
	}
	return u.addExtra(t.ctx, added{number: r.Number})
}

// hash hashes a folder and those in it, which are there now.
func (t *tree1) hash(id int64, path string) (tree encoding.Hash, err error) {
	f := t.folders[id]
	if f == nil {
		return tree, fmt.Errorf("%w: a folder is not there", encoding.ErrDamaged)
	}
	held, err := encoding.Overlay(f.deltas)
	if err != nil {
		return tree, err
	}
	var p encoding.Packer
	for i := range held {
		held[i].Pack(&p)
	}
	plain := p.Delta().Hash()
	h := encoding.NewTreeHasher(plain)
	for i := range held {
		k := &held[i]
		if k.Unread {
			t.unread[path+k.Entry.Name] = true
		}
		if !k.Entered || k.Entry.Kind != entry.KindFolder {
			continue
		}
		below, err := t.hash(t.ids[key1{id, k.Entry.Name}], path+k.Entry.Name+"/")
		if err != nil {
			return tree, err
		}
		h.Add(k.Entry.Name, below)
	}
	tree = h.Hash()
	f.changed = f.changed || !f.written || f.Tree != tree || f.Plain != plain
	f.Plain, f.Tree = plain, tree
	return tree, nil
}

// fromPlace returns the path of a problem from the place, which its path began with.
func (t *tree1) fromPlace(path string) string {
	for rest := path; ; {
		if t.unread[rest] {
			return rest
		}
		_, after, more := strings.Cut(rest, "/")
		if !more {
			return strings.TrimPrefix(path, "./")
		}
		rest = after
	}
}
