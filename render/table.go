package render

import (
	"slices"
	"strconv"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/render/layout"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// table shows rows to people: a heading with the full path, columns parted by white
// space, a footer.
type table[R any] struct {
	view    *View
	all     []row.Column[R]
	shown   int                          // how many of these are beside one another
	left    []string                     // the names of columns that there is no room for
	before  func(dst []byte, r R) []byte // what stands above a row; nil for nothing
	widths  []widths
	last    []measuredCell // by column
	name    int            // the column that is shortened to fit, or -1
	nameMax int            // its width at most
	bar     int            // how wide the whole is drawn
	rows    int            // measured
	below   *row.Column[R] // digits that there is no room for beside the rest
	breaks  []int          // the columns that begin another line of the same row
}

// widths are what the cells of a column take. A cell has two parts: the first
// is flush right and the second flush left, so that numbers line up on their
// units.
type widths struct{ left, right, words, heading int }

func (w widths) all() int {
	both := w.left + w.right
	if w.left > 0 && w.right > 0 {
		both++
	}
	return max(both, w.words, w.heading)
}

// lead is how far the parts stand in, so that what is wider stands flush right with them.
func (w widths) lead() int {
	if w.left == 0 || w.right == 0 || w.words == 0 {
		return 0
	}
	return max(0, w.words-(w.left+1+w.right))
}

const (
	// Absent is shown where there is no value.
	Absent = "–"
	// SumMark stands before a number that adds up what is in a folder.
	SumMark = "="
	// Narrowest is how short names may get on a narrow terminal, before other columns are
	// left out; and Shortest how short where no column may be.
	Narrowest = 40
	Shortest  = 20
)

// NewTable returns a table, with lines above rows that the function appends; it may be
// nil.
func NewTable[R any](v *View, columns []row.Column[R], before func(dst []byte, r R) []byte) Format[R] {
	return newTable(v, columns, before)
}

func newTable[R any](v *View, columns []row.Column[R], before func(dst []byte, r R) []byte) *table[R] {
	t := &table[R]{view: v, all: columns, shown: len(columns), before: before, widths: make([]widths, len(columns)), last: make([]measuredCell, len(columns)), name: -1, bar: widestBar}
	for i := range columns {
		t.widths[i].heading = typeset.Width(columns[i].Name)
		if t.name < 0 && columns[i].Shrinks() {
			t.name = i
		}
	}
	return t
}

// columns are those that there is room for.
func (t *table[R]) columns() []row.Column[R] { return t.all[:t.shown] }

// fit makes the columns fit the terminal: by drawing shorter bars, then shorter names, and
// where that is not enough by leaving out the last columns. If all of them were asked for,
// names get shorter still, and then rows take more lines.
func (t *table[R]) fit() {
	t.leaveOutEmpty()
	limit := t.view.Width
	if t.name >= 0 {
		t.nameMax = t.widths[t.name].all()
	}
	least := Narrowest
	if t.view.Every {
		least = Shortest
	}
	for limit > 0 {
		all := t.wide(0, t.shown)
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
			shorter := max(t.nameMax-(all-limit), min(least, t.nameMax), t.widths[t.name].heading)
			if all-(t.nameMax-shorter) <= limit {
				t.shorten(shorter)
				return
			}
		}
		switch {
		case t.view.Every:
			t.breakLines(limit)
			return
		case t.leaveOut():
		case t.shown == t.name+1 || t.shown == 1:
			t.shorten(t.nameMax - (all - limit))
			return
		case t.name >= 0 && all-t.nameMax+Shortest <= limit:
			t.shorten(t.nameMax - (all - limit))
			return
		default:
			t.breakLines(limit)
			return
		}
	}
}

// leaveOut leaves out the last column that may be: no name, nothing that rows are sorted
// by, and nothing that the answer is of. A bar goes after all others. It returns whether
// there is one.
func (t *table[R]) leaveOut() bool {
	at := t.lastSpare(func(c *row.Column[R]) bool { return c.Type != row.Bar })
	if at < 0 {
		at = t.lastSpare(func(*row.Column[R]) bool { return true })
	}
	if at < 0 {
		return false
	}
	if name := strings.TrimSpace(t.all[at].Name); name != "" {
		t.left = append([]string{name}, t.left...)
	}
	t.all, t.widths = slices.Delete(slices.Clone(t.all), at, at+1), slices.Delete(t.widths, at, at+1)
	t.shown--
	if at < t.name {
		t.name--
	}
	return true
}

// lastSpare is the last of some columns that may be left out; -1 for none.
func (t *table[R]) lastSpare(is func(c *row.Column[R]) bool) int {
	for at := t.shown - 1; at >= 0; at-- {
		c := &t.all[at]
		if at != t.name && (t.name >= 0 || at > 0) && !c.IsKept() && !slices.Contains(t.view.Sorted, c.Name) && is(c) {
			return at
		}
	}
	return -1
}

// alone reports whether a column has a line of its own, below the first.
func (t *table[R]) alone(i int) bool {
	return slices.Contains(t.breaks, i) && (i == t.shown-1 || slices.Contains(t.breaks, i+1))
}

// wide is how wide some columns are together.
func (t *table[R]) wide(from, to int) int {
	all := layout.Indent - layout.Gap
	for i := from; i < to; i++ {
		all += t.widths[i].all() + layout.Gap
	}
	return all
}

// shorten makes names fit a width.
func (t *table[R]) shorten(width int) {
	if t.name < 0 {
		return
	}
	t.nameMax = max(width, 1)
	t.widths[t.name].right = min(t.widths[t.name].right, t.nameMax)
}

// breakLines has each row take as many lines as it needs.
func (t *table[R]) breakLines(limit int) {
	if t.name >= 0 && t.wide(t.name, t.name+1) > limit {
		t.shorten(limit - layout.Indent)
	}
	from := 0
	for i := 1; i < t.shown; i++ {
		indent := 0
		if from > 0 {
			indent = layout.Indent
		}
		if indent+t.wide(from, i+1) > limit {
			t.breaks = append(t.breaks, i)
			from = i
		}
	}
}

// leaveOutEmpty leaves columns out that need some row with a value, and have none.
func (t *table[R]) leaveOutEmpty() {
	var all []row.Column[R]
	var kept []widths
	for i, c := range t.all {
		if w := t.widths[i]; c.NeedsAny() && w.left == 0 && w.right == 0 {
			continue
		}
		all, kept = append(all, c), append(kept, t.widths[i])
	}
	t.all, t.widths, t.shown = all, kept, len(all)
}

// cellRooms are where cells are made: columns are functions, so that the compiler cannot
// tell that they keep none.
var cellRooms = sync.Pool{New: func() any { return new([]byte) }}

// Measure implements Measurer.
func (t *table[R]) Measure(r R) {
	t.rows++
	room := cellRooms.Get().(*[]byte)
	defer cellRooms.Put(room)
	for i := range t.all {
		w, last := &t.widths[i], &t.last[i]
		of, end, known := t.all[i].Likeness(r)
		if known && last.is && last.of == of {
			if end == "" {
				continue
			}
			if plain, _ := typeset.Look(end); plain && last.plain {
				w.right = max(w.right, last.length+len(end))
				continue
			}
		}
		left, right, plain := t.cell(room, &t.all[i], r)
		*last = measuredCell{is: known, of: of, plain: plain, length: len(right) - len(end)}
		if string(right) == Absent {
			w.words = max(w.words, typeset.Width(t.all[i].Words(r)), 1)
			continue
		}
		w.left = max(w.left, widthOf(left, plain))
		if len(right) > w.right { // no text is wider than it is long
			w.right = max(w.right, widthOf(right, plain))
		}
	}
}

// measuredCell is a cell that was measured.
type measuredCell struct {
	is     bool // whether what follows says something
	of     row.Likeness
	plain  bool
	length int // without its end
}

// cell returns the two parts of a cell, in a room that grows as needed, and whether they
// are as wide as they are long.
func (t *table[R]) cell(room *[]byte, c *row.Column[R], r R) (left, right []byte, plain bool) {
	left, right, plain = appendCell((*room)[:0], t.view, c, r)
	if n := cap(left) + cap(right); n > cap(*room) {
		*room = make([]byte, 0, n)
	}
	return left, right, plain
}

func widthOf(text []byte, plain bool) int {
	if plain {
		return len(text)
	}
	return typeset.Width(text)
}

// Fresh implements Measurer.
func (t *table[R]) Fresh() Measurer[R] { return newTable(t.view, t.all, t.before) }

// Join implements Measurer.
func (t *table[R]) Join(fresh Measurer[R]) {
	t.rows += fresh.(*table[R]).rows
	for i, w := range fresh.(*table[R]).widths {
		t.widths[i].left = max(t.widths[i].left, w.left)
		t.widths[i].right = max(t.widths[i].right, w.right)
		t.widths[i].words = max(t.widths[i].words, w.words)
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
	line := typeset.Fill(nil, layout.Indent)
	for i := range t.columns() {
		f, w := &t.all[i], t.widths[i]
		if slices.Contains(t.breaks, i) {
			dst = v.Palette.Put(dst, strings.TrimRight(string(line), " "), style.Quiet)
			dst = append(dst, '\n')
			line = typeset.Fill(line[:0], 2*layout.Indent)
		}
		switch {
		case w.left > 0 && w.right > 0 && w.left+1+w.right > w.heading:
			// Over two parts, the heading stands flush right with the first
			// if it fits there.
			before := max(0, w.lead()+w.left-w.heading)
			line = append(typeset.Fill(line, before), f.Name...)
			line = typeset.Fill(line, w.all()-before-w.heading)
		case w.left > 0 && w.right == 0 || w.left > 0 && w.words > 0:
			line = append(typeset.Fill(line, w.all()-w.heading), f.Name...)
		default:
			line = append(line, f.Name...)
			line = typeset.Fill(line, w.all()-w.heading)
		}
		line = typeset.Fill(line, layout.Gap)
	}
	dst = v.Palette.Put(dst, strings.TrimRight(string(line), " "), style.Quiet)
	return append(dst, '\n')
}

// Row implements Format.
func (t *table[R]) Row(dst []byte, r R) []byte {
	v := t.view
	if t.before != nil {
		dst = t.before(dst, r)
	}
	room := cellRooms.Get().(*[]byte)
	defer cellRooms.Put(room)
	dst = typeset.Fill(dst, layout.Indent)
	pending := 0
	for i := range t.columns() {
		if slices.Contains(t.breaks, i) {
			dst = typeset.Fill(append(dst, '\n'), 2*layout.Indent)
			pending = 0
		}
		f, w := &t.all[i], t.widths[i]
		left, right, plain := t.cell(room, f, r)
		absent := string(right) == Absent
		if absent {
			if words := f.Words(r); words != "" { // flush right with the numbers, if there are any
				lead := 0
				if w.left > 0 {
					lead = w.all() - typeset.Width(words)
				}
				dst = v.Palette.Put(typeset.Fill(dst, pending+lead), words, style.Quiet)
				pending = w.all() - lead - typeset.Width(words) + layout.Gap
				continue
			}
		}
		leftWidth, rightWidth := widthOf(left, plain), widthOf(right, plain)
		switch {
		case i == t.name:
			if rightWidth > t.nameMax {
				right = []byte(typeset.Shorten(string(right), t.nameMax))
				rightWidth = typeset.Width(right)
			}
		case t.alone(i) && len(left) == 0 && v.Width > 0:
			right = []byte(strings.Join(typeset.Wrap(string(right), v.Width-2*layout.Indent, 0), "\n"+strings.Repeat(" ", 2*layout.Indent)))
			rightWidth = typeset.Width(right)
		case f.Type == row.Bar:
			n, _ := f.Number(r)
			right = []byte(bar(n, t.bar))
			rightWidth = typeset.Width(right)
		}
		if len(left) == 0 && len(right) == 0 {
			pending += w.all() + layout.Gap
			continue
		}
		lead := 0
		switch {
		case w.left > 0 && w.right == 0:
			lead = w.all() - leftWidth
		case len(left) > 0 || w.left > 0 && absent:
			lead = w.lead() + w.left - leftWidth
		}
		if len(left) == 0 && absent && w.left > 0 { // no number: the dash stands where one would end
			left, right = right, left
			leftWidth, rightWidth = rightWidth, leftWidth
			lead = max(0, lead-1)
		}
		between := 0
		if len(left) > 0 && len(right) > 0 {
			between = 1
		}
		dst = typeset.Fill(dst, pending+lead)
		look := style.Of(f.Look(r))
		if absent && i != t.name {
			look = style.Quiet
		}
		dst = style.Put(v.Palette, dst, left, look)
		dst = typeset.Fill(dst, between)
		if len(left) > 0 && !absent && (f.Type == row.Bytes || f.Type == row.MoreBytes) {
			look = style.Quiet
		}
		dst = style.Put(v.Palette, dst, right, look)
		pending = max(0, w.all()-(lead+leftWidth+between+rightWidth)) + layout.Gap
	}
	dst = append(dst, '\n')
	if t.below != nil {
		_, digits := Cell(v, t.below, r)
		for _, line := range typeset.WrapGroups(digits, v.Width-2*layout.Indent) {
			dst = v.Palette.Put(typeset.Fill(dst, 2*layout.Indent), line, style.Quiet)
			dst = append(dst, '\n')
		}
	}
	if t.name >= 0 && t.rows > 1 && !v.Plain && t.all[t.name].IsTotal(r) {
		dst = t.appendRule(dst)
	}
	return dst
}

// appendRule draws a rule below a row that adds up those that follow, as wide as the first line of a row.
func (t *table[R]) appendRule(dst []byte) []byte {
	to := t.shown
	if len(t.breaks) > 0 {
		to = t.breaks[0]
	}
	dst = typeset.Fill(dst, layout.Indent)
	return append(t.view.Palette.Put(dst, strings.Repeat("─", t.wide(0, to)-layout.Indent), style.Quiet), '\n')
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
	if len(t.left) > 0 {
		lines = append(lines, t.view.Wrapped([]Line{t.view.NoRoom(t.left)})...)
	}
	return t.view.AppendLines(dst, lines)
}

// NoRoom says which columns are left out for want of room.
func (v *View) NoRoom(names []string) Line {
	return Line{"this screen is too narrow for " + strings.Join(names, ", "), style.Quiet}
}

// Cell returns the two parts of what a column shows of a row.
func Cell[R any](v *View, c *row.Column[R], r R) (left, right string) {
	first, second, _ := appendCell(nil, v, c, r)
	return string(first), string(second)
}

// appendCell returns the same, in the room that it is given if that is enough, and whether
// all of it is plain ASCII.
func appendCell[R any](room []byte, v *View, c *row.Column[R], r R) (left, right []byte, plain bool) {
	if c.Type == row.Text { // most of what is shown
		text, has := c.AppendText(room, r)
		if has {
			plain, strange := typeset.Look(text)
			if strange {
				text = append(room, typeset.EscapeAll(string(text))...)
			}
			return nil, text, plain
		}
	} else if both, split, has := appendParts(room, v, c, r); has {
		return both[:split:split], both[split:], c.Type != row.Bar && c.Type != row.Bytes && c.Type != row.Digits && c.Type != row.MoreBytes && c.Type != row.MoreCount
	}
	if c.Blank() {
		return nil, nil, true
	}
	return nil, append(room, Absent...), false
}

// appendParts appends both parts of a value that is no text, if there is one, and tells
// where the second begins.
func appendParts[R any](dst []byte, v *View, c *row.Column[R], r R) (both []byte, split int, has bool) {
	switch c.Type {
	case row.Digits:
		text, ok := c.Text(r)
		if v.Escape {
			text = typeset.Groups(text)
		}
		return append(dst, text...), 0, ok
	case row.Time:
		t, ok := c.Moment(r)
		if !ok {
			return dst, 0, false
		}
		both, split = v.Clock().AppendMoment(dst, t)
		return both, split, true
	case row.Flag:
		is, ok := c.Flag(r)
		if is {
			return append(dst, "yes"...), 0, ok
		}
		return append(dst, "no"...), 0, ok
	}
	n, ok := c.Number(r)
	if !ok {
		return dst, 0, false
	}
	var unit string
	switch c.Type {
	case row.Bytes:
		switch c.Mark(r) {
		case row.AtLeast:
			dst = append(dst, "≥ "...)
		case row.Sum:
			dst = append(dst, SumMark+" "...)
		}
		dst, unit = v.Units.AppendSize(dst, n)
	case row.Mode:
		return entry.Permissions(n).AppendOctal(dst), 0, true
	case row.Share:
		dst, unit = strconv.AppendFloat(dst, float64(n)/1e4, 'f', 1, 64), "%"
	case row.Bar:
		return append(dst, bar(n, widestBar)...), 0, true
	case row.Count:
		dst = units.AppendGrouped(dst, n)
	case row.MoreBytes, row.MoreCount:
		switch {
		case n > 0:
			dst = append(dst, '+')
		case n < 0:
			dst, n = append(dst, "−"...), max(-n, 0) // the least number has no opposite
		}
		if c.Type == row.MoreCount {
			dst = units.AppendGrouped(dst, n)
			break
		}
		dst, unit = v.Units.AppendSize(dst, n)
	case row.Span:
		if n < 0 { // in the future
			dst, n = append(dst, '-'), -n
		}
		dst, unit = units.AppendSpan(dst, n)
	default:
		dst = strconv.AppendUint(dst, uint64(n), 10)
	}
	return append(dst, unit...), len(dst), true
}

// How many columns the whole of a bar takes.
const (
	widestBar   = 20
	shortestBar = 8
)

// The parts of a bar: a square for each step of the share, a small one for half a step, and a dot for each step that
// is left.
const (
	barStep = "■"
	barHalf = "▪"
	barLeft = "·"
)

// bar draws a share in millionths of the whole. The dots show where 100 % is. Only what is all of it fills the bar, and
// what is not nothing has at least the small square.
func bar(share int64, whole int) string {
	halves := share * 2 * int64(whole) / 1_000_000
	if share > 0 {
		halves = max(halves, 1)
	}
	full, half := int(halves/2), int(halves%2)
	return strings.Repeat(barStep, full) + strings.Repeat(barHalf, half) + strings.Repeat(barLeft, max(0, whole-full-half))
}
