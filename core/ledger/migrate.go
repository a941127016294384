package ledger

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Version 1 kept a row for each piece and each seal, by folder * 1048576 +
// record, and the problems' paths as the place was given.

// fromVersion1 brings a ledger of version 1 up to this one. Pieces are packed in
// the same way.
func fromVersion1(ctx context.Context, tx *sql.Tx) error {
	for _, table := range []string{"record", "problem"} {
		if _, err := tx.ExecContext(ctx, "ALTER TABLE "+table+" RENAME TO "+table+"1"); err != nil {
			return err
		}
	}
	if _, err := tx.ExecContext(ctx, schema); err != nil {
		return err
	}
	var records []Record
	if err := each(ctx, tx, func(rows *sql.Rows) error {
		var r Record
		var path []byte
		var taken int64
		err := rows.Scan(&r.Number, &r.Label, &r.Host, &path, &r.place, &taken, &r.Note, &r.Entries, &r.Bytes)
		r.Place, r.Taken = string(path), time.Unix(0, taken)
		records = append(records, r)
		return err
	}, "SELECT id, label, host, place, root, taken, note, entries, bytes FROM record1 ORDER BY id"); err != nil {
		return err
	}
	trees := map[int64]*tree1{}
	for _, r := range records {
		t := trees[r.place]
		if t == nil {
			t = &tree1{ctx: ctx, tx: tx, root: r.place, folders: map[int64]*folder1{}, ids: map[folderKey]int64{}}
			if err := t.load(); err != nil {
				return err
			}
			trees[r.place] = t
		}
		if err := t.move(r); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, fmt.Sprintf("DROP TABLE record1; DROP TABLE problem1; DROP TABLE folder; DROP TABLE piece; DROP TABLE seal; PRAGMA user_version = %d", version))
	return err
}

// tree1 is what version 1 has of a place.
type tree1 struct {
	ctx     context.Context
	tx      *sql.Tx
	root    int64
	folders map[int64]*folder1
	order   []*folder1 // those above first
	ids     map[folderKey]int64
	unread  map[string]bool // ways of folders that could not be read
}

// folder1 is a folder, as far as the records were moved.
type folder1 struct {
	folderVersion
	pieces  []piece
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
		f.folder = uint64(len(t.order)) + root
		if above := t.folders[parent]; above != nil {
			f.parent, f.name = above.folder, string(name)
		}
		t.folders[id], t.ids[folderKey{uint64(parent), string(name)}] = f, id
		t.order = append(t.order, f)
		return nil
	}, "SELECT id, parent, name FROM folder WHERE root = ? ORDER BY id", t.root)
}

// move moves one record; those before it were moved.
func (t *tree1) move(r Record) error {
	for _, f := range t.order {
		f.changed, f.pieced, f.fresh = false, false, false
	}
	if err := each(t.ctx, t.tx, func(rows *sql.Rows) error {
		var id int64
		var p piece
		err := rows.Scan(&id, &p.names, &p.facts)
		if f := t.folders[id]; f != nil {
			f.pieces, f.pieced, f.changed = append(f.pieces, p), true, true
		}
		return err
	}, "SELECT p.at / 1048576, p.names, p.facts FROM piece p JOIN folder f ON f.id = p.at / 1048576 WHERE f.root = ? AND p.at % 1048576 = ?", t.root, r.Number); err != nil {
		return err
	}
	t.unread = map[string]bool{}
	var err error
	if r.seal, err = t.seal(t.root, ""); err != nil {
		return err
	}
	u := &update{shelf: shelf{t.tx}, tx: t.tx}
	if _, r.place, err = u.AddRecord(t.ctx, r); err != nil {
		return err
	}
	sheets := sheetWriter{put: u.AddSheet, place: r.place, record: r.Number}
	for _, f := range t.order {
		if !f.changed {
			continue
		}
		var p piece
		if f.fresh = !f.written; f.fresh {
			f.pieced = true
		}
		if f.written = true; f.pieced && len(f.pieces) > 0 {
			p = f.pieces[len(f.pieces)-1]
		}
		if err := sheets.add(t.ctx, &f.folderVersion, p); err != nil {
			return err
		}
	}
	if err := sheets.flush(t.ctx); err != nil {
		return err
	}
	var problems []source.Problem
	if err := each(t.ctx, t.tx, func(rows *sql.Rows) error {
		var p source.Problem
		var path []byte
		var reason string
		err := rows.Scan(&path, &p.Tried, &reason, &p.Entries, &p.Vanished)
		p.Path, p.Err = t.way(string(path)), errors.New(reason)
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
	return u.addExtra(t.ctx, added{number: r.Number})
}

// seal seals a folder and those in it, which are there now.
func (t *tree1) seal(id int64, way string) (sealed seal, err error) {
	f := t.folders[id]
	if f == nil {
		return sealed, fmt.Errorf("%w: a folder is not there", ErrDamaged)
	}
	held, err := overlay(f.pieces)
	if err != nil {
		return sealed, err
	}
	var p packer
	for i := range held {
		held[i].pack(&p)
	}
	own := piece{p.names, p.facts}.seal()
	s := newSealer(own)
	for i := range held {
		k := &held[i]
		if k.unread {
			t.unread[way+k.entry.Name] = true
		}
		if !k.entered || k.entry.Kind != entry.KindFolder {
			continue
		}
		below, err := t.seal(t.ids[folderKey{uint64(id), k.entry.Name}], way+k.entry.Name+"/")
		if err != nil {
			return sealed, err
		}
		s.add(k.entry.Name, below)
	}
	sealed = s.seal()
	f.changed = f.changed || !f.written || f.seal != sealed || f.own != own
	f.own, f.seal = own, sealed
	return sealed, nil
}

// way returns the way of a problem from the place, which its path began with.
func (t *tree1) way(path string) string {
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
