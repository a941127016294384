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
func Columns(rows [][]string) string { return columns(&Grid{}, rows) }

// PageColumns does that with the last column in several lines where it is long.
func PageColumns(rows [][]string) string {
	return columns(&Grid{Width: pageWidth, Least: pageWidth / 3}, rows)
}

func columns(g *Grid, rows [][]string) string {
	for _, row := range rows {
		g.Add(Row{Cells: Texts(row)})
	}
	return string(g.Append(nil))
}
