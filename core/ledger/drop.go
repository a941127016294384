package ledger

import (
	"context"
	"database/sql"
	"errors"
)

// ErrNoRecord is returned for the number of a record that there is not.
var ErrNoRecord = errors.New("there is no such record")

// Drop takes a record out of the ledger. The others stay whole: what they have
// in common with it goes over to the one after it.
func (l *Ledger) Drop(ctx context.Context, number int64) error {
	return l.inTransaction(ctx, func(tx *sql.Tx) error {
		var root int64
		err := tx.QueryRowContext(ctx, "SELECT root FROM record WHERE id = ?", number).Scan(&root)
		if err == sql.ErrNoRows {
			return ErrNoRecord
		}
		if err != nil {
			return err
		}
		var next sql.NullInt64
		if err := tx.QueryRowContext(ctx, "SELECT min(id) FROM record WHERE root = ? AND id > ?", root, number).Scan(&next); err != nil {
			return err
		}
		if next.Valid {
			err = handOver(ctx, tx, root, number, next.Int64)
		}
		if err != nil {
			return err
		}
		for _, statement := range []string{
			"DELETE FROM piece WHERE at % 1048576 = ? AND at / 1048576 IN (SELECT id FROM folder WHERE root = ?)",
			"DELETE FROM seal WHERE at % 1048576 = ? AND at / 1048576 IN (SELECT id FROM folder WHERE root = ?)",
			"DELETE FROM problem WHERE record = ? AND ? > 0",
			"DELETE FROM record WHERE id = ? AND root = ?",
		} {
			if _, err := tx.ExecContext(ctx, statement, number, root); err != nil {
				return err
			}
		}
		// Folders that no record has seen.
		_, err = tx.ExecContext(ctx, `DELETE FROM folder WHERE root = ? AND NOT EXISTS (SELECT 1 FROM record WHERE root = folder.root)`, root)
		return err
	})
}

// handOver lays what the next record says over what this one says.
func handOver(ctx context.Context, tx *sql.Tx, root, number, next int64) error {
	type change struct {
		folder int64
		piece  piece
	}
	var changes []change
	if err := each(ctx, tx, func(rows *sql.Rows) error {
		var c change
		var n piece
		err := rows.Scan(&c.folder, &c.piece.names, &c.piece.facts, &n.names, &n.facts)
		if err == nil && n.names != nil {
			c.piece, err = join(c.piece, n)
		}
		changes = append(changes, c)
		return err
	}, `SELECT p.at / 1048576, p.names, p.facts, n.names, n.facts
		FROM piece p JOIN folder f ON f.id = p.at / 1048576 LEFT JOIN piece n ON n.at = p.at - ?1 + ?2
		WHERE f.root = ?3 AND p.at % 1048576 = ?1`, number, next, root); err != nil {
		return err
	}
	for _, c := range changes {
		if _, err := tx.ExecContext(ctx, "INSERT OR REPLACE INTO piece (at, names, facts) VALUES (?, ?, ?)", c.folder*recordSpan+next, c.piece.names, c.piece.facts); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, `INSERT OR IGNORE INTO seal (at, seal) SELECT s.at - ?1 + ?2, s.seal FROM seal s JOIN folder f ON f.id = s.at / 1048576
		WHERE f.root = ?3 AND s.at % 1048576 = ?1`, number, next, root)
	return err
}

// join makes one piece of two that follow one another.
func join(first, second piece) (piece, error) {
	a, err := appendAll(nil, first)
	if err != nil {
		return piece{}, err
	}
	b, err := appendAll(nil, second)
	if err != nil {
		return piece{}, err
	}
	var p packer
	for _, k := range merge(a, b) {
		k.pack(&p)
	}
	return piece{p.names, p.facts}, nil
}
