package layout

import (
	"slices"
	"strings"

	"frankledger/render/typeset"
)

// Indent and Gap are how far rows stand in, and what is between columns.
const (
	Indent = 2
	Gap    = 2
)

// PageWidth is how wide text is made that is read as a page, where there is room.
const PageWidth = 80

// Page is text that is read as a page, so many columns wide.
type Page struct{ Width int }

// Reflow breaks paragraphs of text anew. One with a line that stands in stays as it is, unless it is
// too wide: then what follows the first gap of each line is a column of its own.
func (p Page) Reflow(text string) string {
	paragraphs := strings.Split(text, "\n\n")
	for i, paragraph := range paragraphs {
		end := paragraph[len(strings.TrimRight(paragraph, "\n")):]
		switch {
		case !strings.Contains("\n"+paragraph, "\n "):
			words := strings.Join(strings.Fields(paragraph), " ")
			paragraphs[i] = strings.Join(typeset.Wrap(words, p.Width, 0), "\n") + end
		case p.Width < PageWidth:
			paragraphs[i] = p.rearrange(strings.TrimRight(paragraph, "\n")) + end
		}
	}
	return strings.Join(paragraphs, "\n\n")
}

// rearrange makes lines that stand in fit the page.
func (p Page) rearrange(paragraph string) string {
	var rows [][]string
	wide := false
	for line := range strings.SplitSeq(paragraph, "\n") {
		wide = wide || typeset.Width(line) > p.Width
		words := strings.TrimLeft(line, " ")
		first, rest, gap := strings.Cut(words, "  ")
		switch {
		case len(line)-len(words) > 2*Indent && len(rows) > 0: // it goes on with the line above
			last := rows[len(rows)-1]
			last[len(last)-1] += " " + words
		case gap:
			rows = append(rows, []string{first, strings.TrimLeft(rest, " ")})
		default:
			rows = append(rows, []string{words})
		}
	}
	if !wide || !slices.ContainsFunc(rows, func(row []string) bool { return len(row) > 1 }) { // lines to paste stay whole
		return paragraph
	}
	return strings.TrimRight(p.Columns(rows), "\n")
}

// Columns lines rows of text up under one another, with the last column in several lines where it is long.
func (p Page) Columns(rows [][]string) string {
	return columns(&Grid{Width: p.Width, Least: p.Width / 3}, rows)
}

// Columns lines rows of text up under one another.
func Columns(rows [][]string) string { return columns(&Grid{}, rows) }

func columns(g *Grid, rows [][]string) string {
	for _, row := range rows {
		g.Add(Row{Cells: Texts(row)})
	}
	return string(g.Append(nil))
}
