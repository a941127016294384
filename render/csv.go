package render

import (
	"bytes"
	"strconv"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/render/typeset"
)

// csv writes comma-separated values after RFC 4180: a header of field names,
// lines that end with CR LF, values with a comma, quote, CR or LF in double
// quotes. Text is the exact bytes; an Absent value is empty.
type csv[R any] struct {
	view    *View
	columns []row.Column[R]
}

func (c csv[R]) Begin(dst []byte, _ Frame) []byte {
	for i := range c.columns {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, c.columns[i].Name...)
	}
	return append(dst, "\r\n"...)
}

func (c csv[R]) Row(dst []byte, r R) []byte {
	for i := range c.columns {
		if i > 0 {
			dst = append(dst, ',')
		}
		start := len(dst)
		dst = c.append(dst, &c.columns[i], r)
		if c.columns[i].Type == row.Text {
			dst = c.quote(dst, start)
		}
	}
	return append(dst, "\r\n"...)
}

func (c csv[R]) End(dst []byte, _ Frame) []byte { return dst }

// append appends a value: as data, or as was asked for.
func (c csv[R]) append(dst []byte, column *row.Column[R], r R) []byte {
	switch {
	case (column.Type == row.Bytes || column.Type == row.MoreBytes) && c.view.UnitsAsked:
		if n, ok := column.Number(r); ok {
			if n < 0 {
				dst, n = append(dst, '-'), max(-n, 0) // the least number has no opposite
			}
			dst = c.view.Units.AppendData(dst, n)
		}
	case column.Type == row.Time && c.view.TimesAsked:
		if t, ok := column.Moment(r); ok {
			dst = c.view.Clock().AppendData(dst, t)
		}
	default:
		dst, _ = appendValue(dst, column, r)
	}
	return dst
}

// quote puts what was appended since start in quotes, if it must be.
func (c csv[R]) quote(dst []byte, start int) []byte {
	value := dst[start:]
	if c.view.Escape {
		value = []byte(typeset.Escaped(string(value)))
		dst = append(dst[:start], value...)
	}
	if !bytes.ContainsRune(value, ',') && !bytes.ContainsRune(value, '"') && !bytes.ContainsRune(value, '\n') && !bytes.ContainsRune(value, '\r') {
		return dst
	}
	quoted := bytes.ReplaceAll(value, []byte(`"`), []byte(`""`))
	dst = append(dst[:start], '"')
	dst = append(dst, quoted...)
	return append(dst, '"')
}

// appendValue appends a value as data: text in its exact bytes, sizes in bytes,
// times after RFC 3339 in UTC, and nothing for a value that is Absent.
func appendValue[R any](dst []byte, c *row.Column[R], r R) ([]byte, bool) {
	switch c.Type {
	case row.Text, row.JSON, row.Digits:
		return c.AppendText(dst, r)
	case row.Time:
		t, ok := c.Moment(r)
		if !ok {
			return dst, false
		}
		return t.AppendRFC3339(dst), true
	case row.Flag:
		is, ok := c.Flag(r)
		if !ok {
			return dst, false
		}
		return strconv.AppendBool(dst, is), true
	}
	n, ok := c.Number(r)
	switch {
	case !ok:
		return dst, false
	case c.Type == row.Share:
		return appendShare(dst, n), true
	case c.Type == row.Mode:
		return entry.Permissions(n).AppendOctal(dst), true
	case c.Type == row.Number || c.Type == row.Count:
		return strconv.AppendUint(dst, uint64(n), 10), true
	}
	return strconv.AppendInt(dst, n, 10), true
}

// appendShare appends millionths as a number from 0 to 1.
func appendShare(dst []byte, millionths int64) []byte {
	return strconv.AppendFloat(dst, float64(millionths)/1e6, 'f', -1, 64)
}
