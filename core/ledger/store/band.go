package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"runtime"

	"frankledger/core/ledger/encoding"
)

// bandTables have the summaries of segments; see encoding.Band.
const bandTables = `
CREATE TABLE band (
	id     INTEGER PRIMARY KEY,
	place  INTEGER NOT NULL,
	record INTEGER NOT NULL,
	stored INTEGER NOT NULL, -- bytes of its sheets, and of its parts
	packed BLOB NOT NULL     -- what sheets it is of
);
CREATE INDEX band_place ON band (place, record);
CREATE TABLE band_part (
	id      INTEGER PRIMARY KEY, -- band * 8192 + part
	content BLOB NOT NULL
);
`

const partsOfBand = 8192 // more than encoding.PartsOfBand

// Bands implements Reader. A ledger of version 2 that could not be upgraded has none.
func (s reader) Bands(ctx context.Context, of Range) (bands []BandRow, err error) {
	if there, err := s.hasTable(ctx, "band"); err != nil || !there {
		return nil, err
	}
	where, args := of.where()
	err = each(ctx, s.q, func(rows *sql.Rows) error {
		var row BandRow
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
			err = ErrChanged
		}
	}
	return content, named(err)
}

// bands makes the bands of the segments of a record, on all cores, while these are being
// written.
type bands struct {
	u             *update
	place, record int64        // as they are kept
	waiting       []summarised // in order
	sheets        []encoding.SheetGroups
	groups        []encoding.Group
	stored        int64
}

// summarised is a segment whose summary is being made.
type summarised struct {
	sheet  int64
	stored int64
	done   chan summary
}

type summary struct {
	sheet  encoding.SheetGroups
	groups []encoding.Group
	err    error
}

// add begins with a segment, which is only lent.
func (b *bands) add(ctx context.Context, s SegmentRow) error {
	if s.kept() != b.place || s.Record != b.record {
		if err := b.flush(ctx); err != nil {
			return err
		}
		b.place, b.record = s.kept(), s.Record
	}
	for len(b.waiting) >= 2*runtime.GOMAXPROCS(0) {
		if err := b.take(ctx); err != nil {
			return err
		}
	}
	whole := append(append(append(make([]byte, 0, len(s.Folders)+len(s.Names)+len(s.Facts)), s.Folders...), s.Names...), s.Facts...)
	n, m := len(s.Folders), len(s.Folders)+len(s.Names)
	copied := encoding.Segment{Folders: whole[:n:n], Names: whole[n:m:m], Facts: whole[m:]}
	done := make(chan summary, 1)
	b.waiting = append(b.waiting, summarised{s.Number, int64(len(whole)), done})
	go func() { done <- summarise(copied) }()
	return nil
}

func summarise(s encoding.Segment) (made summary) {
	if made.groups, made.err = encoding.Summarise(s); made.err == nil {
		made.err = made.sheet.Met(s)
	}
	return made
}

// take waits for the next summary.
func (b *bands) take(ctx context.Context) error {
	next := b.waiting[0]
	b.waiting = b.waiting[1:]
	made := <-next.done
	if errors.Is(made.err, encoding.ErrDamaged) { // of an earlier program: whoever reads it will find that
		made = summary{groups: []encoding.Group{encoding.AnyGroup()}}
	}
	if made.err != nil {
		return made.err
	}
	s := made.sheet
	s.Sheet = next.sheet
	for i := range made.groups {
		s.Versions = append(s.Versions, made.groups[i].Versions)
	}
	b.sheets, b.groups, b.stored = append(b.sheets, s), append(b.groups, made.groups...), b.stored+next.stored
	if len(b.groups) < encoding.FullBand {
		return nil
	}
	return b.write(ctx)
}

// flush writes what there is.
func (b *bands) flush(ctx context.Context) error {
	for len(b.waiting) > 0 {
		if err := b.take(ctx); err != nil {
			return err
		}
	}
	return b.write(ctx)
}

// write writes a band.
func (b *bands) write(ctx context.Context) error {
	if len(b.groups) == 0 {
		return nil
	}
	result, err := b.u.exec(ctx, "INSERT INTO band (place, record, stored, packed) VALUES (?, ?, 0, x'')", b.place, b.record)
	if err != nil {
		return err
	}
	number, err := result.LastInsertId()
	if err != nil {
		return err
	}
	insert, err := b.u.tx.PrepareContext(ctx, "INSERT INTO band_part (id, content) VALUES (?, ?)")
	if err != nil {
		return named(err)
	}
	defer insert.Close()
	band, err := encoding.MakeBand(b.sheets, b.groups, func(part int, content []byte) error {
		b.stored += int64(len(content))
		_, err := insert.ExecContext(ctx, number*partsOfBand+int64(part), blob(content))
		return named(err)
	})
	if err != nil {
		return err
	}
	packed := band.Pack()
	_, err = b.u.exec(ctx, "UPDATE band SET stored = ?, packed = ? WHERE id = ?", b.stored+int64(len(packed)), packed, number)
	b.sheets, b.groups, b.stored = nil, b.groups[:0], 0
	return err
}
