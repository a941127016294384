package sqlite

import (
	"context"
	"database/sql"
	"fmt"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Salvage implements Store.
func (f *file) Salvage(lost func(what string)) store.Reader { return &salvage{f.reader, lost} }

// salvage reads a damaged file row by row, and passes over what cannot be read.
type salvage struct {
	reader
	lost func(what string) // is told what that is
}

// rows calls a function with the number of each row that a table may have: those
// up to the last, or until there are none for long, as the number of the last may
// be damaged too.
func (s *salvage) rows(ctx context.Context, table string, read func(id int64) error) {
	const patience = 1 << 14
	last := sql.NullInt64{Int64: 1<<63 - 1}
	if err := s.q.QueryRowContext(ctx, "SELECT max(id) FROM "+table).Scan(&last); err != nil {
		last.Int64 = 1<<63 - 1
	}
	misses, lost := 0, 0
	for id := int64(1); id <= last.Int64 && misses < patience && ctx.Err() == nil; id++ {
		switch err := read(id); err {
		case nil:
			misses = 0
		case sql.ErrNoRows:
			misses++
		default:
			misses++
			lost++
		}
	}
	if lost > 0 {
		s.lost(fmt.Sprintf("%d rows of the table %s", lost, table))
	}
}

// Records implements Reader.
func (s *salvage) Records(ctx context.Context) (records []store.RecordRow, err error) {
	s.rows(ctx, "record", func(id int64) error {
		found, err := s.reader.records(ctx, "WHERE r.id = ?", id)
		if err == nil && len(found) == 0 {
			err = sql.ErrNoRows
		}
		for _, r := range found {
			if _, whole := encoding.UnpackSelf(r.Self); whole {
				records = append(records, r)
			} else {
				err = encoding.ErrDamaged
			}
		}
		return err
	})
	return records, ctx.Err()
}

// Problems implements Reader.
func (s *salvage) Problems(ctx context.Context, record int64) ([]store.ProblemRow, error) {
	problems, err := s.reader.Problems(ctx, record)
	if err != nil {
		s.lost(fmt.Sprintf("what could not be read at record %d", record))
	}
	return problems, ctx.Err()
}

// Layers implements Reader: what is damaged is read from records alone.
func (s *salvage) Layers(context.Context, int64) ([]store.LayerRow, error) { return nil, nil }

// Segments implements Reader.
func (s *salvage) Segments(ctx context.Context, of store.Range) (segments []store.SegmentRow, err error) {
	s.rows(ctx, "sheet", func(id int64) error {
		one := store.SegmentRow{Number: id}
		err := s.q.QueryRowContext(ctx, "SELECT place, record, folders FROM sheet WHERE id = ?", id).Scan(&one.Place, &one.Record, &one.Folders)
		if err == nil {
			err = encoding.EachFolder(one.Folders, func(*encoding.FolderVersion) {})
		}
		if err == nil && one.Place == of.Place && one.Record <= of.UpTo {
			segments = append(segments, one)
		}
		return err
	})
	return segments, ctx.Err()
}
