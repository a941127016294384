package sqlite

import (
	"context"
	"database/sql"
	"fmt"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

const partsOfBand = 8192 // more than encoding.PartsOfBand

// Bands implements Reader. A ledger of version 2 that could not be upgraded has none.
func (s reader) Bands(ctx context.Context, of store.Range) (bands []store.BandRow, err error) {
	if there, err := s.hasTable(ctx, "band"); err != nil || !there {
		return nil, err
	}
	where, args := clauseOf(of)
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var row store.BandRow
		var packed []byte
		var place int64
		err := rows.Scan(&row.Number, &place, &row.Record, &packed)
		row.Layer = place < 0
		if err == nil {
			row.Band, err = encoding.UnpackBand(packed)
		}
		bands = append(bands, row)
		return err
	}, "SELECT id, place, record, packed FROM band "+where+" ORDER BY record, id", args...)
	return bands, err
}

// BandPart implements Reader.
func (s reader) BandPart(ctx context.Context, band int64, part int) (content []byte, err error) {
	err = s.q.QueryRowContext(ctx, "SELECT content FROM band_part WHERE id = ?", band*partsOfBand+int64(part)).Scan(&content)
	if err == sql.ErrNoRows {
		err = fmt.Errorf("%w: part %d of band %d is not there", encoding.ErrDamaged, part, band)
		if m, is := s.q.(*moment); is && m.changed {
			err = store.ErrChanged
		}
	}
	return content, named(err)
}

// writeBand keeps a band.
func (u *update) writeBand(ctx context.Context, of store.SegmentRow, stored int64, pack func(part func(int, []byte) error) (*encoding.Band, error)) error {
	result, err := u.exec(ctx, "INSERT INTO band (place, record, stored, packed) VALUES (?, ?, 0, x'')", keptUnder(&of), of.Record)
	if err != nil {
		return err
	}
	number, err := result.LastInsertId()
	if err != nil {
		return err
	}
	insert, err := u.tx.PrepareContext(ctx, "INSERT INTO band_part (id, content) VALUES (?, ?)")
	if err != nil {
		return named(err)
	}
	defer insert.Close()
	band, err := pack(func(part int, content []byte) error {
		stored += int64(len(content))
		_, err := insert.ExecContext(ctx, number*partsOfBand+int64(part), blob(content))
		return named(err)
	})
	if err != nil {
		return err
	}
	packed := band.Pack()
	_, err = u.exec(ctx, "UPDATE band SET stored = ?, packed = ? WHERE id = ?", stored+int64(len(packed)), packed, number)
	return err
}
