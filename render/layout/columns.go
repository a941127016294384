package layout

import (
	"strings"

	"frankledger/render/typeset"
)

// Indent and Gap are how far rows stand in, and what is between columns.
const (
	Indent = 2
	Gap    = 2
)

// pageWidth is how wide text is made that is read as a page.
const pageWidth = 80

// Reflow breaks paragraphs of text anew, to the width of a page. One with a line that
// stands in stays as it is.
func Reflow(text string) string {
	paragraphs := strings.Split(text, "\n\n")
	for i, paragraph := range paragraphs {
		if !strings.Contains("\n"+paragraph, "\n ") {
			end := paragraph[len(strings.TrimRight(paragraph, "\n")):]
			words := strings.Join(strings.Fields(paragraph), " ")
			paragraphs[i] = strings.Join(typeset.Wrap(words, pageWidth, 0), "\n") + end
		}
	}
	return strings.Join(paragraphs, "\n\n")
}

// Columns lines rows of text up under one another.
func Columns(rows [][]string) string { return columns(rows, 0) }

// PageColumns does that with the last column in several lines where it is long.
func PageColumns(rows [][]string) string { return columns(rows, pageWidth) }

// columns does that, in a width; 0 for any.
func columns(rows [][]string, width int) string {
	var widths []int
	for _, row := range rows {
		for i, cell := range row {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], typeset.Width(cell))
		}
	}
	var b strings.Builder
	for _, row := range rows {
		line := strings.Repeat(" ", Indent)
		last := len(row) - 1
		for i, cell := range row[:last] {
			line += cell + strings.Repeat(" ", widths[i]-typeset.Width(cell)+Gap)
		}
		indent, room := typeset.Width(line), 0
		if width > 0 {
			room = max(width-indent, width/3)
		}
		for _, text := range typeset.Wrap(row[last], room, 0) {
			b.WriteString(strings.TrimRight(line+text, " "))
			b.WriteByte('\n')
			line = strings.Repeat(" ", indent)
		}
	}
	return b.String()
}
