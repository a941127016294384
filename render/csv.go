package render

import (
	"bytes"
	"strconv"

	"frankledger/core/entry"
)

// csv writes comma-separated values after RFC 4180: a header of field names,
// lines that end with CR LF, values with a comma, quote, CR or LF in double
// quotes. Text is the exact bytes; an absent value is empty.
type csv struct{ view *View }

func (c csv) Begin(dst []byte) []byte {
	for i, f := range c.view.Columns {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, f.Name...)
	}
	return append(dst, "\r\n"...)
}

func (c csv) Row(dst []byte, e *entry.Entry) []byte {
	for i, f := range c.view.Columns {
		if i > 0 {
			dst = append(dst, ',')
		}
		start := len(dst)
		dst, _ = c.view.appendValue(dst, f, e)
		if f.Type == entry.Text {
			dst = c.quote(dst, start)
		}
	}
	return append(dst, "\r\n"...)
}

func (c csv) End(dst []byte, _ *Summary) []byte { return dst }

// quote puts what was appended since start in quotes, if it must be.
func (c csv) quote(dst []byte, start int) []byte {
	value := dst[start:]
	if c.view.Escape {
		value = []byte(Escaped(string(value)))
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
// times after RFC 3339 in UTC, and nothing for a value that is absent.
func (v *View) appendValue(dst []byte, f *entry.Field, e *entry.Entry) ([]byte, bool) {
	switch f.Type {
	case entry.Text, entry.JSON, entry.Hex:
		return f.AppendText(dst, e, v.Context)
	case entry.Moment:
		t, ok := f.Moment(e)
		if !ok {
			return dst, false
		}
		return t.AppendRFC3339(dst), true
	case entry.Flag:
		is, ok := f.Flag(e)
		if !ok {
			return dst, false
		}
		return strconv.AppendBool(dst, is), true
	}
	n, ok := f.Number(e, v.Context)
	switch {
	case !ok:
		return dst, false
	case f.Type == entry.Share:
		return appendShare(dst, n), true
	case f.Type == entry.Mode:
		return entry.Permissions(n).AppendOctal(dst), true
	case f.Type == entry.Number:
		return strconv.AppendUint(dst, uint64(n), 10), true
	}
	return strconv.AppendInt(dst, n, 10), true
}

// appendShare appends millionths as a number from 0 to 1.
func appendShare(dst []byte, millionths int64) []byte {
	return strconv.AppendFloat(dst, float64(millionths)/1e6, 'f', -1, 64)
}
