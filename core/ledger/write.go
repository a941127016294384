package ledger

import (
	"bytes"
	"context"
	"database/sql"

	"frankledger/core/source"
)

// Write writes a record down: all that was taken of a place, and what could not
// be read. It returns the record with its number, and what is different from what
// was recorded of the place before.
func (l *Ledger) Write(ctx context.Context, r Record, taken *Taking, report source.Report) (Record, Changes, error) {
	w := &writer{ctx: ctx}
	if err := w.gather(taken, &r); err != nil {
		return r, w.changes, err
	}
	err := l.inTransaction(ctx, func(tx *sql.Tx) error {
		w.tx = tx
		return w.write(&r, report)
	})
	return r, w.changes, err
}

// Changes are how many entries are different from the record before.
type Changes struct {
	First                   bool // there is none before
	Added, Removed, Altered int64
}

// writer writes one record.
type writer struct {
	ctx     context.Context
	tx      *sql.Tx
	record  int64
	root    *listing
	folders map[folderKey]int64
	seals   map[int64][]byte // of folders, the newest
	lastID  int64
	changes Changes

	putFolder, putPiece, putSeal *sql.Stmt
}

type folderKey struct {
	parent int64
	name   string
}

// gather puts what was taken of each folder together, and seals it.
func (w *writer) gather(taken *Taking, r *Record) (err error) {
	w.root, err = taken.listings()
	for _, p := range taken.parts {
		r.Entries += p.entries
		r.Bytes += p.bytes
	}
	return err
}

func (w *writer) write(r *Record, report source.Report) error {
	for _, s := range []struct {
		to    **sql.Stmt
		query string
	}{
		{&w.putFolder, "INSERT INTO folder (id, root, parent, name) VALUES (?, ?, ?, ?)"},
		{&w.putPiece, "INSERT INTO piece (at, names, facts) VALUES (?, ?, ?)"},
		{&w.putSeal, "INSERT INTO seal (at, seal) VALUES (?, ?)"},
	} {
		stmt, err := w.tx.PrepareContext(w.ctx, s.query)
		if err != nil {
			return err
		}
		defer stmt.Close()
		*s.to = stmt
	}
	if err := w.tx.QueryRowContext(w.ctx, "SELECT coalesce(max(id), 0) + 1 FROM record").Scan(&r.Number); err != nil {
		return err
	}
	w.record = r.Number
	if err := w.findRoot(r); err != nil {
		return err
	}
	if err := w.writeFolder(w.root); err != nil {
		return err
	}
	r.root = w.root.id
	if _, err := w.tx.ExecContext(w.ctx, "INSERT INTO record (id, label, host, place, root, taken, note, entries, bytes) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
		r.Number, r.Label, r.Host, []byte(r.Place), r.root, r.Taken.UnixNano(), r.Note, r.Entries, r.Bytes); err != nil {
		return err
	}
	for _, p := range report.Problems {
		if _, err := w.tx.ExecContext(w.ctx, "INSERT INTO problem (record, path, tried, reason, entries, vanished) VALUES (?, ?, ?, ?, ?, ?)",
			r.Number, []byte(p.Path), p.Tried, p.Reason(), p.Entries, p.Vanished); err != nil {
			return err
		}
	}
	return nil
}

// findRoot finds the folder that the place is, of the same host, and loads what
// was recorded of the folders below it.
func (w *writer) findRoot(r *Record) error {
	if err := w.tx.QueryRowContext(w.ctx, "SELECT coalesce(max(id), 0) FROM folder").Scan(&w.lastID); err != nil {
		return err
	}
	w.folders, w.seals = map[folderKey]int64{}, map[int64][]byte{}
	err := w.tx.QueryRowContext(w.ctx, "SELECT root FROM record WHERE host = ? AND place = ? LIMIT 1", r.Host, []byte(r.Place)).Scan(&w.root.id)
	if err == sql.ErrNoRows {
		w.changes.First = true
		return w.newFolder(w.root, 0, r.Place)
	}
	if err != nil {
		return err
	}
	if err := each(w.ctx, w.tx, func(rows *sql.Rows) error {
		var id, parent int64
		var name []byte
		err := rows.Scan(&id, &parent, &name)
		w.folders[folderKey{parent, string(name)}] = id
		return err
	}, "SELECT id, parent, name FROM folder WHERE root = ?", w.root.id); err != nil {
		return err
	}
	return each(w.ctx, w.tx, func(rows *sql.Rows) error {
		var at int64
		var seal []byte
		err := rows.Scan(&at, &seal)
		w.seals[at/recordSpan] = seal
		return err
	}, "SELECT s.at, s.seal FROM seal s JOIN folder f ON f.id = s.at / 1048576 WHERE f.root = ? ORDER BY s.at", w.root.id)
}

// newFolder gives a folder a number.
func (w *writer) newFolder(l *listing, parent int64, name string) error {
	w.lastID++
	l.id, l.fresh = w.lastID, true
	root := w.root.id
	_, err := w.putFolder.ExecContext(w.ctx, l.id, root, parent, []byte(name))
	return err
}

// writeFolder writes what is different in a folder, and in those below it,
// unless its seal says that nothing is.
func (w *writer) writeFolder(l *listing) error {
	if bytes.Equal(w.seals[l.id], l.seal) {
		return nil
	}
	if err := w.ctx.Err(); err != nil {
		return err
	}
	at := l.id*recordSpan + w.record
	if _, err := w.putSeal.ExecContext(w.ctx, at, l.seal); err != nil {
		return err
	}
	names, facts, err := w.difference(l)
	if err != nil {
		return err
	}
	if len(names) > 0 {
		if _, err := w.putPiece.ExecContext(w.ctx, at, names, facts); err != nil {
			return err
		}
	}
	for _, below := range l.below {
		id, known := w.folders[folderKey{l.id, below.folder.Name}]
		if below.id = id; !known {
			if err := w.newFolder(below, l.id, below.folder.Name); err != nil {
				return err
			}
		}
		if err := w.writeFolder(below); err != nil {
			return err
		}
	}
	return nil
}

// difference packs what a folder holds that the ledger does not have yet.
func (w *writer) difference(l *listing) (names, facts []byte, err error) {
	if l.fresh {
		w.changes.Added += int64(l.count)
		return l.piece.names, l.piece.facts, nil
	}
	now, err := appendAll(nil, l.piece)
	if err != nil {
		return nil, nil, err
	}
	pieces, err := piecesOf(w.ctx, w.tx, l.id, w.record)
	if err != nil {
		return nil, nil, err
	}
	before, err := overlay(pieces)
	if err != nil {
		return nil, nil, err
	}
	var p packer
	for len(now) > 0 || len(before) > 0 {
		switch {
		case len(before) == 0 || len(now) > 0 && now[0].entry.Name < before[0].entry.Name:
			now[0].pack(&p)
			w.changes.Added++
			now = now[1:]
		case len(now) == 0 || before[0].entry.Name < now[0].entry.Name:
			p.remove(before[0].entry.Name)
			w.changes.Removed++
			before = before[1:]
		default:
			if !before[0].same(&now[0]) {
				now[0].pack(&p)
				w.changes.Altered++
			}
			now, before = now[1:], before[1:]
		}
	}
	return p.names, p.facts, nil
}
