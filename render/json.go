package render

import (
	"encoding/base64"
	"encoding/binary"
	"strconv"
	"unicode/utf8"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/source"
)

// jsonRow writes rows as JSON objects (RFC 8259) with the names of columns as keys.
// An absent value is null. Where text is no UTF-8, its exact bytes stand beside it
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
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, j.keys[i]...)
		dst = appendJSONValue(dst, j.view, &j.columns[i], r)
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
	case c.Type == row.Text && !plainJSON(dst[start+1:]):
		text := string(dst[start+1:])
		dst = appendJSONText(dst[:start], text)
		if !utf8.ValidString(text) {
			dst = append(dst, `,"`...)
			dst = append(dst, c.Name...)
			dst = append(dst, `_base64":"`...)
			dst = base64.StdEncoding.AppendEncode(dst, []byte(text))
			dst = append(dst, '"')
		}
		return dst
	case quoted:
		return append(dst, '"')
	}
	return dst
}

// plainJSON tells whether text needs no escape in JSON. Eight bytes at a time
// are looked at, as text of great length is: in what follows, the top bit of a
// byte is set if the byte is one of those sought, or stands above such a one.
func plainJSON(text []byte) bool {
	const ones, tops = 0x0101010101010101, 0x8080808080808080
	for ; len(text) >= 8; text = text[8:] {
		word := binary.LittleEndian.Uint64(text)
		quote, slash, last := word^'"'*ones, word^'\\'*ones, word^0x7f*ones
		if (word|(word-' '*ones)|(quote-ones)|(slash-ones)|(last-ones))&tops != 0 {
			return false
		}
	}
	for _, c := range text {
		if c < ' ' || c == '"' || c == '\\' || c >= 0x7f {
			return false
		}
	}
	return true
}

// appendJSONText appends a JSON string. What is no UTF-8 becomes U+FFFD, and
// what could act on a terminal is escaped.
func appendJSONText(dst []byte, text string) []byte {
	dst = append(dst, '"')
	for _, r := range text {
		switch {
		case r == '"' || r == '\\':
			dst = append(dst, '\\', byte(r))
		case r == '\n':
			dst = append(dst, `\n`...)
		case r == '\t':
			dst = append(dst, `\t`...)
		case strangeRune(r) && r < 0x10000:
			dst = append(append(dst, `\u`...), hex(uint32(r), 4)...)
		default:
			dst = utf8.AppendRune(dst, r)
		}
	}
	return append(dst, '"')
}

// jsonLines writes one object a line.
type jsonLines[R any] struct{ jsonRow[R] }

func (j jsonLines[R]) Begin(dst []byte) []byte { return dst }

func (j jsonLines[R]) Row(dst []byte, r R) []byte {
	return append(j.object(dst, r), '\n')
}

func (j jsonLines[R]) End(dst []byte, _ *Summary) []byte { return dst }

// jsonDocument writes one document: place, entries, summary and problems.
type jsonDocument[R any] struct{ jsonRow[R] }

func newJSONDocument[R any](v *View, columns []row.Column[R]) *jsonDocument[R] {
	return &jsonDocument[R]{newJSONRow(v, columns)}
}

// Separator implements separated.
func (j *jsonDocument[R]) Separator() string { return ",\n" }

func (j *jsonDocument[R]) Begin(dst []byte) []byte { return j.view.beginJSON(dst) }

// Row implements Format.
func (j *jsonDocument[R]) Row(dst []byte, r R) []byte { return j.object(dst, r) }

// End implements Format.
func (j *jsonDocument[R]) End(dst []byte, s *Summary) []byte { return j.view.endJSON(dst, s) }

// beginJSON appends what comes before the entries of a document.
func (v *View) beginJSON(dst []byte) []byte {
	dst = append(dst, `{"place":`...)
	places := v.Places
	if len(places) == 1 {
		dst = appendJSONText(dst, places[0].Full)
	} else {
		dst = append(dst, "null"...)
	}
	dst = append(dst, ",\n\"places\":["...)
	for i, place := range places {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, `{"given":`...)
		dst = appendJSONText(dst, place.Given)
		dst = append(dst, `,"full":`...)
		dst = appendJSONText(dst, place.Full)
		if r := place.Record; r != nil {
			dst = appendRecord(dst, r)
		}
		dst = append(dst, '}')
	}
	return append(dst, "],\n\"entries\":[\n"...)
}

// appendRecord appends a further key of an object, that says which record it is
// of.
func appendRecord(dst []byte, r *entry.Record) []byte {
	dst = append(dst, `,"record":{"number":`...)
	dst = strconv.AppendInt(dst, r.Number, 10)
	dst = append(dst, `,"label":`...)
	dst = appendJSONText(dst, r.Label)
	dst = append(dst, `,"host":`...)
	dst = appendJSONText(dst, r.Host)
	dst = append(dst, `,"taken":"`...)
	return append(r.Taken.AppendRFC3339(dst), `"}`...)
}

// endJSON appends what comes after them.
func (v *View) endJSON(dst []byte, s *Summary) []byte {
	dst = append(dst, "\n],\n\"summary\":{"...)
	m, r := &s.Matched, &s.Report
	unread, vanished := s.counts()
	number := func(key string, n int64) {
		dst = append(append(append(dst, '"'), key...), `":`...)
		dst = append(strconv.AppendInt(dst, n, 10), ',')
	}
	number("entries", m.Entries())
	number("shown", s.Shown)
	number("files", m.Files)
	number("folders", m.Folders)
	number("links", m.Links)
	number("others", m.Others)
	maybe := func(key string, n int64, known bool) {
		if known {
			number(key, n)
			return
		}
		dst = append(append(append(dst, '"'), key...), `":null,`...)
	}
	maybe("size", m.Size, s.Bytes && m.HasSize())
	maybe("disk", m.Disk, s.Bytes && m.HasDisk())
	if t := s.Totals; t != nil {
		maybe("total_size", t.Size, t.HasSize())
		maybe("total_disk", t.Disk, t.HasDisk())
	}
	if s.Elsewhere != nil {
		number("elsewhere_names", s.Elsewhere.Files)
		number("elsewhere_size", s.Elsewhere.Size)
	}
	if s.Chosen {
		number("looked_at", r.Tested)
	}
	for _, n := range s.Numbers {
		maybe(n.Key, n.Value, n.Value >= 0)
	}
	number("folders_read", r.Folders)
	number("hidden", r.Hidden)
	number("skipped", r.Skipped)
	number("other_disks", r.OtherDisks)
	number("repeated", r.Repeated)
	number("unread", unread)
	number("vanished", vanished)
	for i, left := range s.Funnel {
		dst = append(dst, map[bool]string{true: `"funnel":[{"condition":`, false: `{"condition":`}[i == 0]...)
		dst = appendJSONText(dst, left.Condition)
		dst = append(dst, `,"entries":`...)
		dst = strconv.AppendInt(dst, left.Entries, 10)
		dst = append(dst, map[bool]string{true: "}],", false: "},"}[i == len(s.Funnel)-1]...)
	}
	dst = append(dst, `"as_of":"`...)
	dst = entry.TimeOf(v.Context.AsOf).AppendRFC3339(dst)
	dst = append(dst, `","complete":`...)
	dst = strconv.AppendBool(dst, s.Complete())
	dst = append(dst, "},\n\"problems\":["...)
	return append(appendProblems(dst, r.Problems), "]}\n"...)
}

func appendProblems(dst []byte, problems []source.Problem) []byte {
	for i, p := range problems {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, "\n{\"path\":"...)
		dst = appendJSONText(dst, p.Path)
		if !utf8.ValidString(p.Path) {
			dst = append(dst, `,"path_base64":"`...)
			dst = base64.StdEncoding.AppendEncode(dst, []byte(p.Path))
			dst = append(dst, '"')
		}
		dst = append(dst, `,"tried":`...)
		dst = appendJSONText(dst, p.Tried)
		dst = append(dst, `,"reason":`...)
		dst = appendJSONText(dst, p.Reason())
		dst = append(dst, `,"entries":`...)
		dst = strconv.AppendInt(dst, p.Entries, 10)
		dst = append(dst, '}')
	}
	return dst
}
