package render

import "strings"

// Columns lines rows of text up under one another, the last column as it is.
func Columns(rows [][]string) string {
	var widths []int
	for _, row := range rows {
		for i, cell := range row {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], Width(cell))
		}
	}
	var b strings.Builder
	for _, row := range rows {
		line := strings.Repeat(" ", Indent)
		for i, cell := range row {
			line += cell
			if i < len(row)-1 {
				line += strings.Repeat(" ", widths[i]-Width(cell)+Gap)
			}
		}
		b.WriteString(strings.TrimRight(line, " "))
		b.WriteByte('\n')
	}
	return b.String()
}
