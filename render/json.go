package render

import (
	"frankledger/core/entry"
	"frankledger/core/exact"
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
	case c.Type == row.Text:
		return exact.EndText(dst, start, c.Name)
	case quoted:
		return append(dst, '"')
	}
	return dst
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
	o := exact.Begin(dst)
	if len(v.Places) == 1 {
		o.Text("place", v.Places[0].Full)
	} else {
		o.Null("place")
	}
	o.Line()
	o.Objects("places", len(v.Places), "", func(o *exact.Object, i int) {
		place := v.Places[i]
		o.Text("given", place.Given)
		o.Text("full", place.Full)
		if r := place.Record; r != nil {
			putRecord(o, r)
		}
	})
	o.Line()
	o.Key("entries")
	return append(o.Dst, "[\n"...)
}

// putRecord writes which record an object is of.
func putRecord(o *exact.Object, r *entry.Record) {
	o.Object("record", func(o *exact.Object) {
		o.Number("number", r.Number)
		o.Text("label", r.Label)
		o.Text("host", r.Host)
		o.Key("taken")
		o.Dst = append(r.Taken.AppendRFC3339(append(o.Dst, '"')), '"')
	})
}

// endJSON appends what comes after them.
func (v *View) endJSON(dst []byte, s *Summary) []byte {
	o := exact.Reopen(append(dst, "\n]}"...))
	o.Line()
	o.Object("summary", func(o *exact.Object) { v.putSummary(o, s) })
	o.Line()
	putProblems(o, s.Report.Problems)
	return append(o.End(), '\n')
}

func (v *View) putSummary(o *exact.Object, s *Summary) {
	m, r := &s.Matched, &s.Report
	unread, vanished := s.counts()
	o.Number("entries", m.Entries())
	o.Number("shown", s.Shown)
	o.Number("files", m.Files)
	o.Number("folders", m.Folders)
	o.Number("links", m.Links)
	o.Number("others", m.Others)
	o.MaybeNumber("size", m.Size, s.Bytes && m.HasSize())
	o.MaybeNumber("disk", m.Disk, s.Bytes && m.HasDisk())
	if t := s.Totals; t != nil {
		o.MaybeNumber("total_size", t.Size, t.HasSize())
		o.MaybeNumber("total_disk", t.Disk, t.HasDisk())
	}
	if s.Elsewhere != nil {
		o.Number("elsewhere_names", s.Elsewhere.Files)
		o.Number("elsewhere_size", s.Elsewhere.Size)
	}
	if s.Chosen {
		o.Number("looked_at", r.Tested)
	}
	for _, n := range s.Numbers {
		o.MaybeNumber(n.Key, n.Value, n.Value >= 0)
	}
	o.Number("folders_read", r.Folders)
	o.Number("hidden", r.Hidden)
	o.Number("skipped", r.Skipped)
	o.Number("other_disks", r.OtherDisks)
	o.Number("repeated", r.Repeated)
	o.Number("unread", unread)
	o.Number("vanished", vanished)
	if len(s.Funnel) > 0 {
		o.Objects("funnel", len(s.Funnel), "", func(o *exact.Object, i int) {
			o.Text("condition", s.Funnel[i].Condition)
			o.Number("entries", s.Funnel[i].Entries)
		})
	}
	o.Key("as_of")
	o.Dst = append(entry.TimeOf(v.Context.AsOf).AppendRFC3339(append(o.Dst, '"')), '"')
	o.Bool("complete", s.Complete())
}

// putProblems writes what could not be read, a problem a line.
func putProblems(o *exact.Object, problems []source.Problem) {
	o.Objects("problems", len(problems), "\n", func(o *exact.Object, i int) {
		p := &problems[i]
		o.Text("path", p.Path)
		o.Text("tried", p.Tried)
		o.Text("reason", p.Reason())
		o.Number("entries", p.Entries)
	})
}
