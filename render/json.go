package render

import (
	"frankledger/core/exact"
	"frankledger/core/row"
)

// jsonRow writes rows as JSON objects (RFC 8259) with the names of columns as keys.
// An Absent value is null. Where text is not UTF-8, its exact bytes stand beside it
// under the key with _base64 after it.
type jsonRow[R any] struct {
	view    *View
	columns []row.Column[R]
	keys    []string // `"name":` and so on
}

func newJSONRow[R any](v *View, columns []row.Column[R]) jsonRow[R] {
	j := jsonRow[R]{view: v, columns: columns}
	for i := range columns {
		j.keys = append(j.keys, `"`+columns[i].Name+`":`)
	}
	return j
}

func (j jsonRow[R]) object(dst []byte, r R) []byte {
	dst = append(dst, '{')
	for i := range j.columns {
		c, before := &j.columns[i], len(dst)
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, j.keys[i]...)
		if !c.IsOmitted() {
			dst = appendJSONValue(dst, j.view, c, r)
			continue
		}
		var has bool
		if dst, has = c.AppendText(dst, r); !has {
			dst = dst[:before]
		}
	}
	return append(dst, '}')
}

func appendJSONValue[R any](dst []byte, v *View, c *row.Column[R], r R) []byte {
	if c.Type == row.Rows {
		rows, columns := c.Rows(r)
		inside := newJSONRow(v, columns)
		dst = append(dst, '[')
		for i, one := range rows {
			if i > 0 {
				dst = append(dst, ',')
			}
			dst = inside.object(dst, one)
		}
		return append(dst, ']')
	}
	start := len(dst)
	quoted := c.Type == row.Text || c.Type == row.Digits || c.Type == row.Time || c.Type == row.Mode
	if quoted {
		dst = append(dst, '"')
	}
	dst, ok := appendValue(dst, c, r)
	switch {
	case !ok:
		return append(dst[:start], "null"...)
	case c.Type == row.Text:
		return exact.EndText(dst, start, c.Name)
	case quoted:
		return append(dst, '"')
	}
	return dst
}

// jsonLines writes one object a line.
type jsonLines[R any] struct{ jsonRow[R] }

func (j jsonLines[R]) Begin(dst []byte, _ Frame) []byte { return dst }

func (j jsonLines[R]) Row(dst []byte, r R) []byte {
	return append(j.object(dst, r), '\n')
}

func (j jsonLines[R]) End(dst []byte, _ Frame) []byte { return dst }

// AppendObject appends a row as a JSON object.
func AppendObject[R any](dst []byte, v *View, columns []row.Column[R], r R) []byte {
	return newJSONRow(v, columns).object(dst, r)
}

// jsonDocument writes one document: place, entries, summary and problems.
type jsonDocument[R any] struct{ jsonRow[R] }

func newJSONDocument[R any](v *View, columns []row.Column[R]) *jsonDocument[R] {
	return &jsonDocument[R]{newJSONRow(v, columns)}
}

// Separator implements separated.
func (j *jsonDocument[R]) Separator() string { return ",\n" }

// Begin implements Format.
func (j *jsonDocument[R]) Begin(dst []byte, f Frame) []byte { return BeginDocument(dst, f) }

// Row implements Format.
func (j *jsonDocument[R]) Row(dst []byte, r R) []byte { return j.object(dst, r) }

// End implements Format.
func (j *jsonDocument[R]) End(dst []byte, f Frame) []byte { return EndDocument(dst, f) }

// BeginDocument begins a JSON document: what follows are the rows.
func BeginDocument(dst []byte, f Frame) []byte {
	o := exact.Begin(dst)
	f.Before(o)
	o.Line()
	o.Key("entries")
	return append(o.Dst, "[\n"...)
}

// EndDocument ends it.
func EndDocument(dst []byte, f Frame) []byte {
	o := exact.Reopen(append(dst, "\n]}"...))
	f.After(o)
	return append(o.End(), '\n')
}
