package postgres

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// Here values travel: what goes into a statement, and what a query answers.
// It knows only the types that the tables have, which keeps the program small: integers, truth,
// text and bytes. Formats are those of PostgreSQL's protocol 3.0.

// errNoRow is returned by one for a query that has no row.
var errNoRow = errors.New("no row")

// connection is a connection to a server.
type connection struct{ *pgconn.PgConn }

func connectTo(ctx context.Context, config *pgconn.Config) (connection, error) {
	conn, err := pgconn.ConnectConfig(ctx, config)
	return connection{conn}, err
}

// close ends the connection, if the server answers soon or not.
func (c connection) close() error {
	ctx, stop := context.WithTimeout(context.Background(), time.Second)
	defer stop()
	return c.Close(ctx)
}

// run runs statements without values.
func (c connection) run(ctx context.Context, statements string) error {
	return c.Exec(ctx, statements).Close()
}

// commit commits a transaction. One in which something has failed is undone by the server, which says so without an
// error.
func (c connection) commit(ctx context.Context) error {
	results, err := c.Exec(ctx, "COMMIT").ReadAll()
	if err == nil && (len(results) != 1 || results[0].CommandTag.String() != "COMMIT") {
		err = errors.New("the transaction was rolled back")
	}
	return err
}

// rollback takes a transaction back. Where that cannot be said, the connection ends, and the server
// does it.
func (c connection) rollback() {
	ctx, stop := context.WithTimeout(context.Background(), time.Second)
	defer stop()
	if c.run(ctx, "ROLLBACK") != nil {
		c.close()
	}
}

// exec runs a statement, whose values are $1 and so on.
func (c connection) exec(ctx context.Context, statement string, values ...any) error {
	return c.each(ctx, func(row) error { return nil }, statement, values...)
}

// each calls a function for each row that a query has.
func (c connection) each(ctx context.Context, do func(row) error, query string, values ...any) error {
	params, formats := make([][]byte, len(values)), make([]int16, len(values))
	for i, value := range values {
		params[i], formats[i] = parameter(value)
	}
	const binaryFormat = 1
	answer := c.ExecParams(ctx, query, params, nil, formats, []int16{binaryFormat})
	var failed error
	for failed == nil && answer.NextRow() {
		failed = do(answer.Values())
	}
	_, err := answer.Close()
	if failed != nil {
		return failed
	}
	return err
}

// one reads the first row that a query has.
func (c connection) one(ctx context.Context, query string, values []any, to ...any) error {
	met := false
	err := c.each(ctx, func(r row) error {
		if met {
			return nil
		}
		met = true
		return r.scan(to...)
	}, query, values...)
	if err == nil && !met {
		err = errNoRow
	}
	return err
}

// parameter returns a value as a statement takes it, and whether that is binary.
func parameter(value any) (content []byte, format int16) {
	switch value := value.(type) {
	case nil:
		return nil, 0
	case []byte:
		return value, 1
	case string:
		return []byte(value), 0
	case int64:
		return strconv.AppendInt(nil, value, 10), 0
	case int:
		return strconv.AppendInt(nil, int64(value), 10), 0
	case *int64:
		if value == nil {
			return nil, 0
		}
		return parameter(*value)
	case bool:
		return strconv.AppendBool(nil, value), 0
	case array:
		return value.content, 1
	case []string:
		quoted := strings.NewReplacer(`\`, `\\`, `"`, `\"`)
		list := make([]string, len(value))
		for i := range value {
			list[i] = `"` + quoted.Replace(value[i]) + `"`
		}
		return []byte("{" + strings.Join(list, ",") + "}"), 0
	}
	panic(fmt.Sprintf("no value of type %T goes into a statement", value))
}

// row are the values of a row; nil is NULL. They are only lent.
type row [][]byte

// scan reads the values.
func (r row) scan(to ...any) error {
	if len(r) != len(to) {
		return fmt.Errorf("%d values came where %d were asked for", len(r), len(to))
	}
	for i, content := range r {
		if err := scanOne(content, to[i]); err != nil {
			return fmt.Errorf("value %d: %w", i+1, err)
		}
	}
	return nil
}

var errValue = errors.New("it is not of the type that was asked for")

func scanOne(content []byte, to any) error {
	switch to := to.(type) {
	case *[]byte:
		*to = bytes.Clone(content)
		return nil
	case *string:
		*to = string(content)
		return nil
	case **int64:
		if content == nil {
			*to = nil
			return nil
		}
		*to = new(int64)
		return scanOne(content, *to)
	case *bool:
		if len(content) != 1 {
			return errValue
		}
		*to = content[0] != 0
		return nil
	case *int:
		var n int64
		err := scanOne(content, &n)
		*to = int(n)
		return err
	case *int64:
		switch len(content) {
		case 8:
			*to = int64(binary.BigEndian.Uint64(content))
		case 4:
			*to = int64(int32(binary.BigEndian.Uint32(content)))
		default:
			return errValue
		}
		return nil
	}
	panic(fmt.Sprintf("no value of type %T is read", to))
}

// array is a one-dimensional array in PostgreSQL's binary format.
type array struct {
	kind    string // of its elements
	content []byte
}

// arrayOf makes an array of a column of rows, whose values are of one type.
func arrayOf(rows [][]any, column int) array {
	size := 20
	for _, r := range rows {
		size += 4 + 8
		if content, is := r[column].([]byte); is {
			size += len(content)
		}
	}
	a := array{content: make([]byte, 0, size)}
	var kind uint32 // as pg_type numbers it
	switch rows[0][column].(type) {
	case []byte:
		a.kind, kind = "bytea", 17
	case int64:
		a.kind, kind = "bigint", 20
	case int32:
		a.kind, kind = "integer", 23
	case bool:
		a.kind, kind = "boolean", 16
	}
	for _, head := range []uint32{1, 0, kind, uint32(len(rows)), 1} { // dimensions, whether any is NULL, type, length, first index
		a.content = binary.BigEndian.AppendUint32(a.content, head)
	}
	for _, r := range rows {
		switch value := r[column].(type) {
		case []byte:
			a.content = append(binary.BigEndian.AppendUint32(a.content, uint32(len(value))), value...)
		case int64:
			a.content = binary.BigEndian.AppendUint64(binary.BigEndian.AppendUint32(a.content, 8), uint64(value))
		case int32:
			a.content = binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(a.content, 4), uint32(value))
		case bool:
			a.content = binary.BigEndian.AppendUint32(a.content, 1)
			if value {
				a.content = append(a.content, 1)
			} else {
				a.content = append(a.content, 0)
			}
		default:
			panic(fmt.Sprintf("no value of type %T is in an array", value))
		}
	}
	return a
}

// insert adds rows to a table, all in one statement: an array for each column. (COPY is refused on
// tables with row-level security.) Their values are of the very types of its columns.
func (c connection) insert(ctx context.Context, table string, columns []string, rows [][]any) error {
	values, places := make([]any, len(columns)), make([]string, len(columns))
	for i := range columns {
		a := arrayOf(rows, i)
		values[i], places[i] = a, fmt.Sprintf("$%d::%s[]", i+1, a.kind)
	}
	return c.exec(ctx, "INSERT INTO "+schemaName+"."+table+" ("+strings.Join(columns, ", ")+") SELECT * FROM unnest("+strings.Join(places, ", ")+")", values...)
}
