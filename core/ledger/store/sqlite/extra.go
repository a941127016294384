package sqlite

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"

	"github.com/zeebo/blake3"
)

// sumOf is the digest over what is written of a record, but for its entries.
func sumOf(ctx context.Context, q querier, record, unsized int64) ([]byte, error) {
	h := blake3.New()
	fmt.Fprintln(h, unsized)
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

// addExtra writes the rest down of a record, when all else is written of it.
func (u *update) addExtra(ctx context.Context, r added) error {
	if _, err := u.exec(ctx, extraTable); err != nil {
		return err
	}
	sum, err := sumOf(ctx, u.tx, r.number, r.unsized)
	if err == nil {
		_, err = u.exec(ctx, "INSERT INTO extra (record, unsized, sum) VALUES (?, ?, ?)", r.number, r.unsized, sum)
	}
	return err
}

// Altered implements Store. Records of earlier programs have no sum.
func (f *file) Altered(ctx context.Context) (altered []int64, err error) {
	if there, err := f.hasTable(ctx, "extra"); err != nil || !there {
		return nil, err
	}
	type extra struct {
		record, unsized int64
		sum             []byte
	}
	var extras []extra
	if err := each(ctx, f.q, func(rows *sql.Rows) error {
		var x extra
		err := rows.Scan(&x.record, &x.unsized, &x.sum)
		extras = append(extras, x)
		return err
	}, "SELECT record, unsized, sum FROM extra ORDER BY record"); err != nil {
		return nil, err
	}
	for _, x := range extras {
		now, err := sumOf(ctx, f.q, x.record, x.unsized)
		if err != nil {
			return nil, err
		}
		if !bytes.Equal(now, x.sum) {
			altered = append(altered, x.record)
		}
	}
	return altered, nil
}
