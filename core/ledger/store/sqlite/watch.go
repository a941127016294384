package sqlite

import (
	"context"
	"database/sql"
	"time"

	"frankledger/core/ledger/store"
)

// Rereads implements Reader. A ledger of an earlier program has no such table.
func (s reader) Rereads(ctx context.Context, place int64) (list []store.RereadRow, err error) {
	if there, err := s.hasTable(ctx, "reread"); err != nil || !there {
		return nil, err
	}
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var r store.RereadRow
		var taken int64
		err := rows.Scan(&taken, &r.From, &r.To, &r.Whole, &r.Files, &r.Bytes)
		r.Taken = time.Unix(0, taken)
		list = append(list, r)
		return err
	}, "SELECT taken, first, next, whole, files, bytes FROM reread WHERE place = ? ORDER BY taken, rowid", place)
	return list, err
}

// Mismatches implements Reader.
func (s reader) Mismatches(ctx context.Context, place int64) (list []store.MismatchRow, err error) {
	if there, err := s.hasTable(ctx, "mismatch"); err != nil || !there {
		return nil, err
	}
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var m store.MismatchRow
		var rel []byte
		var found int64
		err := rows.Scan(&rel, &m.Record, &found, &m.Algorithm, &m.Before, &m.Now)
		m.Path, m.Found = string(rel), time.Unix(0, found)
		list = append(list, m)
		return err
	}, "SELECT way, record, found, algorithm, before, now FROM mismatch WHERE place = ?", place)
	return list, err
}

// AddReread implements Update. It keeps the last thousand.
func (u *update) AddReread(ctx context.Context, place int64, r store.RereadRow) error {
	return u.each(ctx, statement{watchTables, nil},
		statement{"INSERT INTO reread (place, taken, first, next, whole, files, bytes) VALUES (?, ?, ?, ?, ?, ?, ?)",
			[]any{place, r.Taken.UnixNano(), r.From, r.To, r.Whole, r.Files, r.Bytes}},
		statement{"DELETE FROM reread WHERE place = ? AND rowid NOT IN (SELECT rowid FROM reread WHERE place = ? ORDER BY rowid DESC LIMIT 1000)", []any{place, place}})
}

// AddMismatch implements Update.
func (u *update) AddMismatch(ctx context.Context, place int64, m store.MismatchRow) error {
	return u.each(ctx, statement{watchTables, nil},
		statement{"INSERT INTO mismatch (place, way, record, found, algorithm, before, now) VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT (place, way) DO UPDATE SET now = excluded.now",
			[]any{place, []byte(m.Path), m.Record, m.Found.UnixNano(), m.Algorithm, blob(m.Before), blob(m.Now)}})
}

// RemoveMismatch implements Update.
func (u *update) RemoveMismatch(ctx context.Context, place int64, path string) error {
	return u.each(ctx, statement{watchTables, nil}, statement{"DELETE FROM mismatch WHERE place = ? AND way = ?", []any{place, []byte(path)}})
}

// forgetWatched removes what is kept of places that are no more.
func (u *update) forgetWatched(ctx context.Context) error {
	for _, table := range []string{"reread", "mismatch"} {
		there, err := u.hasTable(ctx, table)
		if err == nil && there {
			_, err = u.exec(ctx, "DELETE FROM "+table+" WHERE place NOT IN (SELECT id FROM place)")
		}
		if err != nil {
			return err
		}
	}
	return nil
}

type statement struct {
	text string
	args []any
}

func (u *update) each(ctx context.Context, statements ...statement) error {
	for _, s := range statements {
		if _, err := u.exec(ctx, s.text, s.args...); err != nil {
			return err
		}
	}
	return nil
}
