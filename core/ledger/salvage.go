package ledger

import (
	"context"
	"database/sql"
	"fmt"

	"frankledger/core/source"
)

// salvage reads a damaged file row by row, and passes over what cannot be read.
type salvage struct {
	shelf
	lost []string
}

// rows calls a function with the number of each row that a table may have: those
// up to the last, or if that cannot be told, until there are none for long.
func (s *salvage) rows(ctx context.Context, table string, read func(id int64) error) {
	const patience = 4096
	var last sql.NullInt64
	known := s.q.QueryRowContext(ctx, "SELECT max(id) FROM "+table).Scan(&last) == nil
	misses, lost := 0, 0
	for id := int64(1); (known && id <= last.Int64 || !known && misses < patience) && ctx.Err() == nil; id++ {
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
		s.lost = append(s.lost, fmt.Sprintf("%d rows of the table %s", lost, table))
	}
}

// Records implements Shelf.
func (s *salvage) Records(ctx context.Context) (records []Record, err error) {
	s.rows(ctx, "record", func(id int64) error {
		found, err := s.shelf.records(ctx, "WHERE r.id = ?", id)
		records = append(records, found...)
		if err == nil && len(found) == 0 {
			err = sql.ErrNoRows
		}
		return err
	})
	return records, ctx.Err()
}

// Problems implements Shelf.
func (s *salvage) Problems(ctx context.Context, record int64) ([]source.Problem, error) {
	problems, err := s.shelf.Problems(ctx, record)
	if err != nil {
		s.lost = append(s.lost, fmt.Sprintf("what could not be read at record %d", record))
	}
	return problems, ctx.Err()
}

// Sheets implements Shelf.
func (s *salvage) Sheets(ctx context.Context, place, upTo int64) (sheets []Sheet, err error) {
	s.rows(ctx, "sheet", func(id int64) error {
		one := Sheet{Number: id}
		err := s.q.QueryRowContext(ctx, "SELECT place, record, folders FROM sheet WHERE id = ?", id).Scan(&one.Place, &one.Record, &one.Folders)
		if err == nil && one.Place == place && one.Record <= upTo && eachVersion(one.Folders, func(*folderVersion) {}) == nil {
			sheets = append(sheets, one)
		}
		return err
	})
	return sheets, ctx.Err()
}
