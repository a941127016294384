package layout

import (
	"slices"

	"frankledger/render/style"
	"frankledger/render/typeset"
)

// Grid lines cells up in columns. Set its fields, add the rows, then call Append. For rows that are
// too many to keep, call Measure with each, and then AppendRow with each again.
type Grid struct {
	Columns []Column // rows may have more cells than this; these stand flush left
	Palette style.Palette
	Width   int // of the screen, in its columns; 0 for no limit
	// Least is how narrow the last cell of a row may be made. If it is above 0, text that
	// has no room in a row goes on in the next line.
	Least int

	rows   []Row
	widths []int
	fits   bool // widths are those that fit the screen
}

// Column says how the cells of a column stand.
type Column struct {
	Right bool // flush right
	Close bool // one space before it, not a gap
	// Shortest is how short texts of the column may be made to fit the screen; 0 if they may not.
	Shortest int
}

// Row is a row of a grid.
type Row struct {
	Cells []Cell
	Style style.Style // of the whole line; cells with a style of their own need a plain one
	In    int         // how much further in it stands, in columns
	// Free lets the last cell run on to the right, without making its column wider.
	Free bool
	// Heading has the row, of one cell, stand whole at the edge of the screen.
	Heading bool
}

// Cell is a text, and how it is shown.
type Cell struct {
	Text  string
	Style style.Style
}

// Grow makes room for so many more rows.
func (g *Grid) Grow(rows int) { g.rows = slices.Grow(g.rows, rows) }

// Add adds a row.
func (g *Grid) Add(row Row) {
	g.rows = append(g.rows, row)
	g.Measure(row)
}

// Measure has the columns be wide enough for a row.
func (g *Grid) Measure(row Row) {
	if row.Heading {
		return
	}
	for i := range row.Cells {
		if i == len(g.widths) {
			g.widths = append(g.widths, 0)
		}
		if i == len(row.Cells)-1 && row.Free {
			continue
		}
		width := typeset.Width(row.Cells[i].Text)
		if i == 0 {
			width += row.In
		}
		g.widths[i] = max(g.widths[i], width)
	}
}

// Texts returns cells of plain texts.
func Texts(texts []string) []Cell {
	cells := make([]Cell, len(texts))
	for i, text := range texts {
		cells[i].Text = text
	}
	return cells
}

func (g *Grid) column(i int) Column {
	if i < len(g.Columns) {
		return g.Columns[i]
	}
	return Column{}
}

// gap is how many spaces stand before a column.
func (g *Grid) gap(i int) int {
	switch {
	case i == 0:
		return Indent
	case g.column(i).Close:
		return 1
	}
	return Gap
}

// Fitting is how many columns have room on the screen, the first always.
func (g *Grid) Fitting() int {
	all := 0
	for i, width := range g.widths {
		if all += g.gap(i) + width; g.Width > 0 && all > g.Width && i > 0 {
			return i
		}
	}
	return len(g.widths)
}

// Keep leaves out all columns but the first.
func (g *Grid) Keep(columns int) {
	g.widths = g.widths[:columns]
	for i := range g.rows {
		g.rows[i].Cells = g.rows[i].Cells[:min(columns, len(g.rows[i].Cells))]
	}
}

// shorten makes the columns that may be shortened fit the screen.
func (g *Grid) shorten() {
	if g.fits {
		return
	}
	g.fits = true
	all := 0
	for i, width := range g.widths {
		all += g.gap(i) + width
	}
	for i := range g.widths {
		if least := g.column(i).Shortest; g.Width > 0 && least > 0 && all > g.Width {
			width := min(g.widths[i], max(g.widths[i]-(all-g.Width), least))
			all -= g.widths[i] - width
			g.widths[i] = width
		}
	}
}

// Append appends the rows, each with a line feed.
func (g *Grid) Append(dst []byte) []byte {
	for _, row := range g.rows {
		dst = g.AppendRow(dst, row)
	}
	return dst
}

// AppendRow appends a row with a line feed, once all are measured.
func (g *Grid) AppendRow(dst []byte, row Row) []byte {
	g.shorten()
	if row.Heading {
		return append(g.Palette.Put(dst, row.Cells[0].Text, row.Cells[0].Style), '\n')
	}
	return g.append(dst, row)
}

func (g *Grid) append(dst []byte, row Row) []byte {
	from, at := len(dst), 0 // where the line begins, and how many columns of the screen it takes
	for i := range row.Cells {
		cell, column := row.Cells[i], g.column(i)
		last := i == len(row.Cells)-1
		start := at + g.gap(i)
		end := start + g.widths[i]
		if i == 0 {
			if start += row.In; g.Width > 0 { // however far in, there is room for a text
				start = min(start, max(g.Width/2, Indent))
			}
		}
		text, width := cell.Text, typeset.Width(cell.Text)
		if column.Shortest > 0 {
			room := end - start
			if last && row.Free {
				if room = max(room, width); g.Width > 0 {
					room = min(room, g.Width-start)
				}
			}
			if room = max(room, 1); width > room {
				text = typeset.Shorten(text, room)
				width = typeset.Width(text)
			}
		}
		if column.Right {
			start = end - width
		}
		if room := max(g.Width-start, g.Least); last && g.Least > 0 && g.Width > 0 && width > room {
			lines := typeset.Wrap(text, room, 0)
			for _, line := range lines[:len(lines)-1] {
				dst = g.end(g.Palette.Put(typeset.Fill(dst, start-at), line, cell.Style), from, row.Style)
				from, at = len(dst), 0
			}
			text = lines[len(lines)-1]
			width = typeset.Width(text)
		}
		dst = g.Palette.Put(typeset.Fill(dst, start-at), text, cell.Style)
		if at = start + width; !last {
			dst = typeset.Fill(dst, end-at)
			at = max(at, end)
		}
	}
	return g.end(dst, from, row.Style)
}

// end ends a line that begins at a place, without the spaces at its end.
func (g *Grid) end(dst []byte, from int, s style.Style) []byte {
	for len(dst) > from && dst[len(dst)-1] == ' ' {
		dst = dst[:len(dst)-1]
	}
	if s != style.Plain {
		dst = g.Palette.Put(dst[:from], string(dst[from:]), s)
	}
	return append(dst, '\n')
}
