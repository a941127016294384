package render

import (
	"bytes"
	"strconv"

	"frankledger/core/digestlist"
	"frankledger/core/row"
	"frankledger/render/typeset"
)

// paths writes the path of each row, its exact bytes, with an end after it. Straight
// onto a terminal the bytes are escaped, since there they would act.
type paths[R any] struct {
	view *View
	path *row.Column[R]
	end  byte
}

func (p paths[R]) Begin(dst []byte, _ Frame) []byte { return dst }

func (p paths[R]) Row(dst []byte, r R) []byte {
	start := len(dst)
	dst, _ = p.path.AppendText(dst, r)
	if p.view.Escape {
		dst = append(dst[:start], typeset.Escaped(string(dst[start:]))...)
	}
	return append(dst, p.end)
}

func (p paths[R]) End(dst []byte, _ Frame) []byte { return dst }

// count writes only how many entries there are.
type count[R any] struct{}

func (count[R]) Begin(dst []byte, _ Frame) []byte { return dst }

func (count[R]) Row(dst []byte, _ R) []byte { return dst }

func (count[R]) End(dst []byte, f Frame) []byte {
	return append(strconv.AppendInt(dst, f.Total(), 10), '\n')
}

// list writes the full path of each row, its exact bytes, a line each; if one of them
// has a line break in it, with NUL after each instead.
type list[R any] struct {
	path *row.Column[R]
	end  byte
	room []byte
}

func (l *list[R]) Measure(r R) {
	if l.room, _ = l.path.AppendText(l.room[:0], r); bytes.IndexByte(l.room, '\n') >= 0 {
		l.end = 0
	}
}

func (l *list[R]) Fresh() Measurer[R] { return &list[R]{path: l.path, end: '\n'} }

func (l *list[R]) Join(fresh Measurer[R]) { l.end = min(l.end, fresh.(*list[R]).end) }

func (l *list[R]) Begin(dst []byte, _ Frame) []byte { return dst }

func (l *list[R]) Row(dst []byte, r R) []byte {
	dst, _ = l.path.AppendText(dst, r)
	return append(dst, l.end)
}

func (l *list[R]) End(dst []byte, _ Frame) []byte { return dst }

// manifest writes lines of digest, space, path (RFC 8493), for rows that have a digest.
type manifest[R any] struct{ digest, path *row.Column[R] }

func (m manifest[R]) Begin(dst []byte, _ Frame) []byte { return dst }

func (m manifest[R]) Row(dst []byte, r R) []byte {
	sum, ok := m.digest.AppendText(nil, r)
	if !ok {
		return dst
	}
	path, _ := m.path.AppendText(nil, r)
	return digestlist.AppendLine(dst, string(sum), string(path))
}

func (m manifest[R]) End(dst []byte, _ Frame) []byte { return dst }
