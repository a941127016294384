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

// Banding makes the bands of the segments of a record, on all cores, while these are being
// written. An engine gives it segments in their order, and is given bands.
type Banding struct {
	// Write is given a band to keep: the range it is of, how many bytes its sheets take, and what
	// makes it, which calls a function with each of its parts.
	Write func(ctx context.Context, of SegmentRow, stored int64, band func(part func(int, []byte) error) (*encoding.Band, error)) error

	of      SegmentRow   // place, record and layer
	waiting []summarised // in order
	sheets  []encoding.SheetGroups
	groups  []encoding.Group
	stored  int64
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

// Add begins with a segment, which is only lent.
func (b *Banding) Add(ctx context.Context, s SegmentRow) error {
	of := SegmentRow{Place: s.Place, Record: s.Record, Layer: s.Layer}
	if of.Place != b.of.Place || of.Record != b.of.Record || of.Layer != b.of.Layer {
		if err := b.Flush(ctx); err != nil {
			return err
		}
		b.of = of
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
func (b *Banding) take(ctx context.Context) error {
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

// Flush writes what there is.
func (b *Banding) Flush(ctx context.Context) error {
	for len(b.waiting) > 0 {
		if err := b.take(ctx); err != nil {
			return err
		}
	}
	return b.write(ctx)
}

func (b *Banding) write(ctx context.Context) error {
	if len(b.groups) == 0 {
		return nil
	}
	err := b.Write(ctx, b.of, b.stored, func(part func(int, []byte) error) (*encoding.Band, error) {
		return encoding.MakeBand(b.sheets, b.groups, part)
	})
	b.sheets, b.groups, b.stored = nil, b.groups[:0], 0
	return err
}

// writeBand keeps a band.
func (u *update) writeBand(ctx context.Context, of SegmentRow, stored int64, pack func(part func(int, []byte) error) (*encoding.Band, error)) error {
	result, err := u.exec(ctx, "INSERT INTO band (place, record, stored, packed) VALUES (?, ?, 0, x'')", of.kept(), of.Record)
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
