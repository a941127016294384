package render

import (
	"fmt"
	"strconv"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/row"
)

// table shows rows to people: a heading with the full path, columns parted by white
// space, a footer.
type table[R any] struct {
	view    *View
	all     []row.Column[R]
	shown   int                          // how many of these there is room for
	before  func(dst []byte, r R) []byte // what stands above a row; nil for nothing
	widths  []widths
	name    int            // the column that is shortened to fit, or -1
	nameMax int            // its width at most
	bar     int            // how wide the whole is drawn
	rows    int            // measured
	below   *row.Column[R] // digits that there is no room for beside the rest
}

// widths are what the cells of a column take. A cell has two parts: the first
// is flush right and the second flush left, so that numbers line up on their
// units.
type widths struct{ left, right, heading int }

func (w widths) all() int {
	both := w.left + w.right
	if w.left > 0 && w.right > 0 {
		both++
	}
	return max(both, w.heading)
}

const (
	// Indent and Gap are how far rows stand in, and what is between columns.
	Indent = 2
	Gap    = 2
	// Absent is shown where there is no value.
	Absent = "–"
	// Narrowest is how short names may get on a narrow terminal, before other
	// columns are left out.
	Narrowest = 20
)

// NewTable returns a table, with lines above rows that the function appends; it may be
// nil.
func NewTable[R any](v *View, columns []row.Column[R], before func(dst []byte, r R) []byte) Format[R] {
	return newTable(v, columns, before)
}

func newTable[R any](v *View, columns []row.Column[R], before func(dst []byte, r R) []byte) *table[R] {
	t := &table[R]{view: v, all: columns, shown: len(columns), before: before, widths: make([]widths, len(columns)), name: -1, bar: widestBar}
	for i := range columns {
		t.widths[i].heading = Width(columns[i].Name)
		if t.name < 0 && columns[i].Shrinks() {
			t.name = i
		}
	}
	return t
}

// columns are those that there is room for.
func (t *table[R]) columns() []row.Column[R] { return t.all[:t.shown] }

// fit makes the columns fit the terminal: by drawing shorter bars, then
// shorter names, and where that is not enough by leaving out the last columns.
func (t *table[R]) fit() {
	limit := t.view.Width
	if t.name >= 0 {
		t.nameMax = t.widths[t.name].all()
	}
	for limit > 0 {
		all := Indent - Gap
		for i := range t.columns() {
			all += t.widths[i].all() + Gap
		}
		if all <= limit {
			return
		}
		for i := range t.columns() {
			if t.all[i].Type == row.Bar && t.bar == widestBar {
				t.bar = max(shortestBar, widestBar-(all-limit))
				before := t.widths[i].all()
				t.widths[i].right = min(t.widths[i].right, t.bar)
				all -= before - t.widths[i].all()
			}
		}
		if all <= limit {
			return
		}
		if last := t.shown - 1; t.below == nil && t.all[last].Type == row.Digits {
			t.below, t.shown = &t.all[last], last
			continue
		}
		if t.name >= 0 {
			shorter := max(t.nameMax-(all-limit), min(Narrowest, t.nameMax), t.widths[t.name].heading)
			all -= t.nameMax - shorter
			if all <= limit || t.shown == t.name+1 {
				t.nameMax = max(shorter-max(0, all-limit), 1)
				t.widths[t.name].right = min(t.widths[t.name].right, t.nameMax)
				return
			}
		}
		if t.shown == 1 {
			return
		}
		t.shown--
	}
}

// Measure implements Measurer.
func (t *table[R]) Measure(r R) {
	t.rows++
	for i := range t.all {
		left, right := Cell(t.view, &t.all[i], r)
		t.widths[i].left = max(t.widths[i].left, Width(left))
		t.widths[i].right = max(t.widths[i].right, Width(right))
	}
}

// Fresh implements Measurer.
func (t *table[R]) Fresh() Measurer[R] { return newTable(t.view, t.all, t.before) }

// Join implements Measurer.
func (t *table[R]) Join(fresh Measurer[R]) {
	t.rows += fresh.(*table[R]).rows
	for i, w := range fresh.(*table[R]).widths {
		t.widths[i].left = max(t.widths[i].left, w.left)
		t.widths[i].right = max(t.widths[i].right, w.right)
	}
}

// Begin implements Format.
func (t *table[R]) Begin(dst []byte, f Frame) []byte {
	v := t.view
	t.fit()
	if v.Plain {
		return dst
	}
	dst = append(v.AppendLines(dst, f.Heading()), '\n')
	if t.shown == 1 && t.below == nil || t.rows == 0 { // it speaks for itself, or there is nothing to head
		return dst
	}
	var line []byte
	line = Fill(line, Indent)
	for i := range t.columns() {
		f, w := &t.all[i], t.widths[i]
		if w.left > 0 && w.right > 0 && w.left+1+w.right > w.heading {
			// Over two parts, the heading stands flush right with the first
			// if it fits there.
			before := max(0, w.left-w.heading)
			line = append(Fill(line, before), f.Name...)
			line = Fill(line, w.all()-before-w.heading)
		} else if w.left > 0 && w.right == 0 {
			line = append(Fill(line, w.all()-w.heading), f.Name...)
		} else {
			line = append(line, f.Name...)
			line = Fill(line, w.all()-w.heading)
		}
		line = Fill(line, Gap)
	}
	dst = v.Palette.Put(dst, strings.TrimRight(string(line), " "), QuietStyle)
	return append(dst, '\n')
}

// Row implements Format.
func (t *table[R]) Row(dst []byte, r R) []byte {
	v := t.view
	if t.before != nil {
		dst = t.before(dst, r)
	}
	dst = Fill(dst, Indent)
	pending := 0
	for i := range t.columns() {
		f := &t.all[i]
		left, right := Cell(v, f, r)
		switch {
		case i == t.name:
			right = Shorten(right, t.nameMax)
		case f.Type == row.Bar:
			n, _ := f.Number(r)
			right = bar(n, t.bar)
		}
		w := t.widths[i]
		if left == "" && right == "" {
			pending += w.all() + Gap
			continue
		}
		lead := 0
		switch {
		case w.left > 0 && w.right == 0:
			lead = w.all() - Width(left)
		case left != "" || w.left > 0 && right == Absent:
			lead = w.left - Width(left)
		}
		if left == "" && right == Absent && w.left > 0 { // no number: the dash stands where one would end
			left, right = Absent, ""
			lead = max(0, lead-1)
		}
		between := 0
		if left != "" && right != "" {
			between = 1
		}
		width := lead + Width(left) + between + Width(right)
		dst = Fill(dst, pending+lead)
		ink := PlainStyle
		if i == t.name {
			ink = StyleOf(f.Look(r))
		} else if left == Absent || right == Absent {
			ink = QuietStyle
		}
		dst = v.Palette.Put(dst, left, ink)
		dst = Fill(dst, between)
		if left != "" && left != Absent && f.Type == row.Bytes {
			ink = QuietStyle
		}
		dst = v.Palette.Put(dst, right, ink)
		pending = max(0, w.all()-width) + Gap
	}
	dst = append(dst, '\n')
	if t.below != nil {
		_, digits := Cell(v, t.below, r)
		for _, line := range WrapGroups(digits, v.Width-2*Indent) {
			dst = v.Palette.Put(Fill(dst, 2*Indent), line, QuietStyle)
			dst = append(dst, '\n')
		}
	}
	return dst
}

// End implements Format.
func (t *table[R]) End(dst []byte, f Frame) []byte {
	if t.view.Plain {
		return dst
	}
	if f.Rows() > 0 {
		dst = append(dst, '\n')
	}
	lines := f.Footer()
	var names []string
	for i := t.shown; i < len(t.all); i++ {
		if &t.all[i] != t.below {
			names = append(names, t.all[i].Name)
		}
	}
	if len(names) > 0 {
		lines = append(lines, Line{"no room on this screen for " + strings.Join(names, ", "), QuietStyle})
	}
	return t.view.AppendLines(dst, lines)
}

// Cell returns the two parts of what a column shows of a row.
func Cell[R any](v *View, c *row.Column[R], r R) (left, right string) {
	left, right = valueCell(v, c, r)
	if c.Blank() && left == "" && right == Absent {
		right = ""
	}
	return left, right
}

func valueCell[R any](v *View, c *row.Column[R], r R) (left, right string) {
	switch c.Type {
	case row.Digits:
		text, ok := c.Text(r)
		switch {
		case !ok:
			return "", Absent
		case v.Escape:
			return "", Groups(text)
		}
		return "", text
	case row.Text:
		text, ok := c.Text(r)
		if !ok {
			return "", Absent
		}
		return "", Escaped(text)
	case row.Time:
		if t, ok := c.Moment(r); ok {
			return v.Moment(t)
		}
		return "", Absent
	case row.Flag:
		switch is, ok := c.Flag(r); {
		case !ok:
			return "", Absent
		case is:
			return "", "yes"
		}
		return "", "no"
	}
	n, ok := c.Number(r)
	if !ok {
		return "", Absent
	}
	switch c.Type {
	case row.Bytes:
		left, right = v.Units.Size(n)
		if c.IsAtLeast(r) {
			left = "≥ " + left
		}
		return left, right
	case row.Mode:
		return "", entry.Permissions(n).Octal()
	case row.Share:
		return fmt.Sprintf("%.1f", float64(n)/1e4), "%"
	case row.Bar:
		return "", bar(n, widestBar)
	case row.Count:
		return Grouped(n), ""
	case row.Span:
		if n < 0 { // in the future
			left, right = span(-n)
			return "-" + left, right
		}
		return span(n)
	}
	return strconv.FormatUint(uint64(n), 10), ""
}

// How many columns the whole of a bar takes.
const (
	widestBar   = 20
	shortestBar = 8
)

// bar draws a share in millionths of the whole as a line, in steps of half a
// column. What is not nothing is at least the shortest line.
func bar(share int64, whole int) string {
	halves := (share*2*int64(whole) + 500_000) / 1_000_000
	if share > 0 {
		halves = max(halves, 1)
	}
	return strings.Repeat("━", int(halves/2)) + strings.Repeat("╸", int(halves%2))
}
