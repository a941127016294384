package render

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"frankledger/core/duplicates"
	"frankledger/core/entry"
)

// table shows entries to people: a heading with the full path, columns parted
// by white space, a footer.
type table struct {
	view    *View
	columns []*entry.Field // those of the view that there is room for
	widths  []widths
	name    int          // the column that is shortened to fit, or -1
	nameMax int          // its width at most
	bar     int          // how wide the whole is drawn
	rows    int          // measured
	below   *entry.Field // digits that there is no room for beside the rest
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
	indent = 2 // before a row
	gap    = 2 // between columns
	absent = "–"
	// narrowest is how short names may get on a narrow terminal, before other
	// columns are left out.
	narrowest = 20
)

func newTable(v *View) *table {
	t := &table{view: v, columns: v.Columns, widths: make([]widths, len(v.Columns)), name: -1, bar: widestBar}
	for i, f := range v.Columns {
		t.widths[i].heading = Width(f.Name)
		if t.name < 0 && f.Type == entry.Text && slices.Contains([]string{"name", "path", "folder", "stem", "target"}, f.Name) {
			t.name = i
		}
	}
	return t
}

// fit makes the columns fit the terminal: by drawing shorter bars, then
// shorter names, and where that is not enough by leaving out the last columns.
func (t *table) fit() {
	limit := t.view.Width
	if t.name >= 0 {
		t.nameMax = t.widths[t.name].all()
	}
	for limit > 0 {
		all := indent - gap
		for i := range t.columns {
			all += t.widths[i].all() + gap
		}
		if all <= limit {
			return
		}
		for i, f := range t.columns {
			if f.Type == entry.Bar && t.bar == widestBar {
				t.bar = max(shortestBar, widestBar-(all-limit))
				before := t.widths[i].all()
				t.widths[i].right = min(t.widths[i].right, t.bar)
				all -= before - t.widths[i].all()
			}
		}
		if all <= limit {
			return
		}
		if last := len(t.columns) - 1; t.below == nil && t.columns[last].Type == entry.Hex {
			t.below, t.columns = t.columns[last], t.columns[:last]
			continue
		}
		if t.name >= 0 {
			shorter := max(t.nameMax-(all-limit), min(narrowest, t.nameMax), t.widths[t.name].heading)
			all -= t.nameMax - shorter
			if all <= limit || len(t.columns) == t.name+1 {
				t.nameMax = max(shorter-max(0, all-limit), 1)
				t.widths[t.name].right = min(t.widths[t.name].right, t.nameMax)
				return
			}
		}
		if len(t.columns) == 1 {
			return
		}
		t.columns = t.columns[:len(t.columns)-1]
	}
}

// Measure implements Measurer.
func (t *table) Measure(e *entry.Entry) {
	t.rows++
	for i, f := range t.view.Columns {
		left, right := t.view.cell(f, e)
		t.widths[i].left = max(t.widths[i].left, Width(left))
		t.widths[i].right = max(t.widths[i].right, Width(right))
	}
}

// Fresh implements Measurer.
func (t *table) Fresh() Measurer { return newTable(t.view) }

// Join implements Measurer.
func (t *table) Join(fresh Measurer) {
	t.rows += fresh.(*table).rows
	for i, w := range fresh.(*table).widths {
		t.widths[i].left = max(t.widths[i].left, w.left)
		t.widths[i].right = max(t.widths[i].right, w.right)
	}
}

// Begin implements Format.
func (t *table) Begin(dst []byte) []byte {
	v := t.view
	t.fit()
	if v.Plain {
		return dst
	}
	for _, line := range v.heading() {
		dst = v.Palette.put(dst, line, headingInk)
		dst = append(dst, '\n')
	}
	dst = append(dst, '\n')
	if len(t.columns) == 1 && t.below == nil || t.rows == 0 { // it speaks for itself, or there is nothing to head
		return dst
	}
	var line []byte
	line = fill(line, indent)
	for i, f := range t.columns {
		w := t.widths[i]
		if w.left > 0 && w.right > 0 && w.left+1+w.right > w.heading {
			// Over two parts, the heading stands flush right with the first
			// if it fits there.
			before := max(0, w.left-w.heading)
			line = append(fill(line, before), f.Name...)
			line = fill(line, w.all()-before-w.heading)
		} else if w.left > 0 && w.right == 0 {
			line = append(fill(line, w.all()-w.heading), f.Name...)
		} else {
			line = append(line, f.Name...)
			line = fill(line, w.all()-w.heading)
		}
		line = fill(line, gap)
	}
	dst = v.Palette.put(dst, strings.TrimRight(string(line), " "), quietInk)
	return append(dst, '\n')
}

// Row implements Format.
func (t *table) Row(dst []byte, e *entry.Entry) []byte {
	v := t.view
	if p, ok := rowOf(e).(parted); ok && p.Parted() {
		dst = append(dst, '\n')
	}
	if s, ok := rowOf(e).(ofSet); ok && s.Heads() != nil {
		dst = v.Palette.put(fill(dst, indent), v.setLine(s.Heads()), plainInk)
		dst = append(dst, '\n')
	}
	dst = fill(dst, indent)
	pending := 0
	for i, f := range t.columns {
		left, right := v.cell(f, e)
		switch {
		case i == t.name:
			right = Shorten(right, t.nameMax)
		case f.Type == entry.Bar:
			n, _ := f.Number(e, v.Context)
			right = bar(n, t.bar)
		}
		w := t.widths[i]
		if left == "" && right == "" {
			pending += w.all() + gap
			continue
		}
		lead := 0
		switch {
		case w.left > 0 && w.right == 0:
			lead = w.all() - Width(left)
		case left != "" || w.left > 0 && right == absent:
			lead = w.left - Width(left)
		}
		if left == "" && right == absent && w.left > 0 { // no number: the dash stands where one would end
			left, right = absent, ""
			lead = max(0, lead-1)
		}
		between := 0
		if left != "" && right != "" {
			between = 1
		}
		width := lead + Width(left) + between + Width(right)
		dst = fill(dst, pending+lead)
		ink := plainInk
		if i == t.name {
			ink = inkOf(e)
		} else if left == absent || right == absent {
			ink = quietInk
		}
		dst = v.Palette.put(dst, left, ink)
		dst = fill(dst, between)
		if left != "" && left != absent && f.Type == entry.Bytes {
			ink = quietInk
		}
		dst = v.Palette.put(dst, right, ink)
		pending = max(0, w.all()-width) + gap
	}
	dst = append(dst, '\n')
	if t.below != nil {
		_, digits := v.cell(t.below, e)
		for _, line := range wrapGroups(digits, v.Width-2*indent) {
			dst = v.Palette.put(fill(dst, 2*indent), line, quietInk)
			dst = append(dst, '\n')
		}
	}
	return dst
}

// Digits are shown in groups of so many, that a reader may keep in mind.
const digitGroup = 8

// groups parts digits into groups.
func groups(digits string) string {
	var b strings.Builder
	for i := 0; i < len(digits); i += digitGroup {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(digits[i:min(i+digitGroup, len(digits))])
	}
	return b.String()
}

// wrapGroups breaks groups of digits into lines of the same number of groups,
// as many as fit of 16, 8, 4, 2 or 1.
func wrapGroups(text string, width int) (lines []string) {
	words := strings.Split(text, " ")
	n := 16
	for n > 1 && n*(digitGroup+1)-1 > width {
		n /= 2
	}
	for ; len(words) > 0; words = words[min(n, len(words)):] {
		lines = append(lines, strings.Join(words[:min(n, len(words))], " "))
	}
	return lines
}

// End implements Format.
func (t *table) End(dst []byte, s *Summary) []byte {
	if t.view.Plain {
		return dst
	}
	if s.Shown > 0 {
		dst = append(dst, '\n')
	}
	lines := t.view.footer(s)
	var names []string
	for _, f := range t.view.Columns[len(t.columns):] {
		if f != t.below {
			names = append(names, f.Name)
		}
	}
	if len(names) > 0 {
		lines = append(lines, footerLine{"no room on this screen for " + strings.Join(names, ", "), quietInk})
	}
	for _, line := range lines {
		dst = t.view.Palette.put(dst, line.text, line.ink)
		dst = append(dst, '\n')
	}
	return dst
}

// parted is a row that begins a new group: a table leaves a line free before it.
type parted interface{ Parted() bool }

// ofSet is a row of a set of files with the same content. The first row of each
// heads it.
type ofSet interface{ Heads() *duplicates.Set }

func rowOf(e *entry.Entry) any {
	if e.More == nil {
		return nil
	}
	return e.More.Row
}

// cell returns the two parts of what a column shows of an entry.
func (v *View) cell(f *entry.Field, e *entry.Entry) (left, right string) {
	left, right = v.valueCell(f, e)
	if f.Blank && left == "" && right == absent {
		right = ""
	}
	return left, right
}

func (v *View) valueCell(f *entry.Field, e *entry.Entry) (left, right string) {
	switch f.Type {
	case entry.Hex:
		text, ok := f.AppendText(nil, e, v.Context)
		switch {
		case !ok:
			return "", absent
		case v.Escape:
			return "", groups(string(text))
		}
		return "", string(text)
	case entry.Text:
		if f.Name == "permissions" && e.Known&entry.FactStatus != 0 {
			return "", e.Permissions.Triads()
		}
		if f == nameField && (len(v.Places) > 1 || len(v.Places) == 1 && v.Places[0].List) {
			return "", Escaped(e.Path())
		}
		if f == nameField {
			return "", Escaped(e.Way())
		}
		text, ok := f.AppendText(nil, e, v.Context)
		if !ok {
			return "", absent
		}
		return "", Escaped(string(text))
	case entry.Moment:
		if t, ok := f.Moment(e); ok {
			return v.moment(t)
		}
		return "", absent
	case entry.Flag:
		switch is, ok := f.Flag(e); {
		case !ok:
			return "", absent
		case is:
			return "", "yes"
		}
		return "", "no"
	}
	n, ok := f.Number(e, v.Context)
	switch {
	case !ok:
		return "", absent
	case f.Type == entry.Bytes:
		left, right = v.Units.Size(n)
		if e.Marks&entry.MarkAtLeast != 0 && (f.Name == "size" || f.Name == "disk") {
			left = "≥ " + left
		}
		return left, right
	case f.Type == entry.Mode:
		return "", entry.Permissions(n).Octal()
	case f.Type == entry.Share:
		return fmt.Sprintf("%.1f", float64(n)/1e4), "%"
	case f.Type == entry.Bar:
		return "", bar(n, widestBar)
	case f.Name == "files" || f.Name == "folders" || f.Name == "count" || f.Name == "copies":
		return Grouped(n), ""
	case f.Type == entry.Span:
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
