package sqlite

import (
	"context"
	"database/sql"

	"frankledger/core/ledger/store"
)

// The segments and the bands of a layer are kept beside those of records, under the number
// of the place below zero. A program of the same version that knows nothing of layers reads
// all records instead; when it drops one that has a layer, the layer counts no more.

// keptUnder returns the number of the place under which a segment is kept.
func keptUnder(s *store.SegmentRow) int64 {
	if s.Layer {
		return -s.Place
	}
	return s.Place
}

// clauseOf returns the clause that chooses what is in a range, and what goes into it.
func clauseOf(r store.Range) (clause string, args []any) {
	if r.Layer == 0 {
		return "WHERE place = ? AND record <= ?", []any{r.Place, r.UpTo}
	}
	return "WHERE place = ? AND record = ? OR place = ? AND record > ? AND record <= ?", []any{-r.Place, r.Layer, r.Place, r.Layer, r.UpTo}
}

// Layers implements Reader.
func (s reader) Layers(ctx context.Context, place int64) (layers []store.LayerRow, err error) {
	if there, err := s.hasTable(ctx, "band"); err != nil || !there {
		return nil, err
	}
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var l store.LayerRow
		err := rows.Scan(&l.Record, &l.Stored)
		layers = append(layers, l)
		return err
	}, "SELECT record, sum(stored) FROM band WHERE place = ? AND record IN (SELECT id FROM record) GROUP BY record ORDER BY record", -place)
	return layers, err
}

// Stored implements Update.
func (u *update) Stored(ctx context.Context, place, record int64) (stored int64, err error) {
	if err := u.bands.Flush(ctx); err != nil {
		return 0, err
	}
	err = u.q.QueryRowContext(ctx, "SELECT coalesce(sum(stored), 0) FROM band WHERE place = ? AND record = ?", place, record).Scan(&stored)
	return stored, err
}

// RemoveLayer implements Update.
func (u *update) RemoveLayer(ctx context.Context, record int64) error {
	return u.removeKept(ctx, record, "SELECT -place FROM record WHERE id = ?1")
}

// removeKept removes the segments of a record, and their bands, that are kept under the
// number of a place.
func (u *update) removeKept(ctx context.Context, record int64, place string) error {
	if err := u.bands.Flush(ctx); err != nil {
		return err
	}
	those := " WHERE place = (" + place + ") AND record = ?1"
	var bands []int64
	if err := each(ctx, u.tx, func(rows *sql.Rows) error {
		var number int64
		err := rows.Scan(&number)
		bands = append(bands, number)
		return err
	}, "SELECT id FROM band"+those, record); err != nil {
		return err
	}
	for _, number := range bands {
		if _, err := u.exec(ctx, "DELETE FROM band_part WHERE id >= ? AND id < ?", number*partsOfBand, (number+1)*partsOfBand); err != nil {
			return err
		}
	}
	for _, table := range []string{"band", "sheet"} {
		if _, err := u.exec(ctx, "DELETE FROM "+table+those, record); err != nil {
			return err
		}
	}
	return nil
}
