package ledger

import (
	"context"
	"database/sql"
	"fmt"

	"github.com/zeebo/blake3"
)

// sumTables came after the others; programs that know nothing of them do not mind. A
// seal covers the entries of a record; its sum covers what else is written of it. The
// sum goes with its record, whatever program drops that.
const sumTables = `CREATE TABLE IF NOT EXISTS sum (
	record INTEGER PRIMARY KEY,
	sum    BLOB NOT NULL -- over the rows of the record, its place and its problems
);
CREATE TRIGGER IF NOT EXISTS sum_goes AFTER DELETE ON record BEGIN
	DELETE FROM sum WHERE record = old.id;
END`

// sumOf is the digest over what is written of a record, but for its entries.
func sumOf(ctx context.Context, q querier, record int64) ([]byte, error) {
	h := blake3.New()
	for _, query := range []string{
		"SELECT r.id, p.host, p.path, r.label, r.taken, r.note, r.terms, r.algorithm, r.entries, r.bytes, r.seal, r.self FROM record r LEFT JOIN place p ON p.id = r.place WHERE r.id = ?",
		"SELECT way, tried, reason, entries, vanished FROM problem WHERE record = ? ORDER BY way, tried, reason, entries, vanished",
	} {
		err := each(ctx, q, func(rows *sql.Rows) error {
			columns, err := rows.Columns()
			if err != nil {
				return err
			}
			values, to := make([]any, len(columns)), make([]any, len(columns))
			for i := range values {
				to[i] = &values[i]
			}
			if err := rows.Scan(to...); err != nil {
				return err
			}
			for _, value := range values {
				switch value.(type) {
				case string, []byte:
					fmt.Fprintf(h, "%T %q\n", value, value)
				default:
					fmt.Fprintf(h, "%T %v\n", value, value)
				}
			}
			return nil
		}, query, record)
		if err != nil {
			return nil, err
		}
		fmt.Fprintln(h)
	}
	return h.Sum(nil)[:16], nil
}

// addSum writes the sum of a record down, when all else is written of it.
func (u *update) addSum(ctx context.Context, record int64) error {
	if _, err := u.exec(ctx, sumTables); err != nil {
		return err
	}
	sum, err := sumOf(ctx, u.tx, record)
	if err == nil {
		_, err = u.exec(ctx, "INSERT INTO sum (record, sum) VALUES (?, ?)", record, sum)
	}
	return err
}

// Altered implements Store. Records of earlier programs have no sum.
func (f *file) Altered(ctx context.Context) (altered []int64, err error) {
	if there, err := f.hasTable(ctx, "sum"); err != nil || !there {
		return nil, err
	}
	sums := map[int64]string{}
	if err := each(ctx, f.q, func(rows *sql.Rows) error {
		var record int64
		var sum []byte
		err := rows.Scan(&record, &sum)
		sums[record] = string(sum)
		return err
	}, "SELECT record, sum FROM sum ORDER BY record"); err != nil {
		return nil, err
	}
	for record, written := range sums {
		now, err := sumOf(ctx, f.q, record)
		if err != nil {
			return nil, err
		}
		if string(now) != written {
			altered = append(altered, record)
		}
	}
	return altered, nil
}
