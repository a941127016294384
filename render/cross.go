package render

import (
	"strings"

	"frankledger/core/tally"
)

// Cross appends a table of two dimensions: how many entries, and their bytes
// below.
func (v *View) Cross(dst []byte, c *tally.Cross, down, across string, s *Summary) []byte {
	for _, line := range v.heading() {
		dst = append(v.Palette.put(dst, line, headingInk), '\n')
	}
	rows := [][]string{append([]string{down + " by " + across}, keyTexts(c.Across)...)}
	for _, key := range c.Down {
		counts, sizes := []string{keyText(key)}, []string{""}
		for _, other := range c.Across {
			count, size := "", ""
			if g := c.Cells[[2]tally.Key{key, other}]; g != nil {
				count, size = Grouped(g.Sum.Entries()), v.shortSum(&g.Sum)
			}
			counts, sizes = append(counts, count), append(sizes, size)
		}
		rows = append(rows, counts, sizes)
	}
	widths := make([]int, len(rows[0]))
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], Width(cell))
		}
	}
	dst = append(dst, '\n')
	for n, row := range rows {
		line := fill(nil, indent)
		for i, cell := range row {
			pad := widths[i] - Width(cell)
			if i == 0 {
				line = fill(append(line, cell...), pad)
				continue
			}
			line = append(fill(line, gap+pad), cell...)
		}
		text := strings.TrimRight(string(line), " ")
		if v.Width > 0 && Width(text) > v.Width {
			text = cells.Truncate(text, v.Width, "…")
		}
		inkOfLine := plainInk
		if n == 0 || n%2 == 0 {
			inkOfLine = quietInk
		}
		dst = append(v.Palette.put(dst, text, inkOfLine), '\n')
	}
	dst = append(dst, '\n')
	for _, line := range v.footer(s) {
		dst = append(v.Palette.put(dst, line.text, line.ink), '\n')
	}
	return dst
}

func keyText(k tally.Key) string {
	if k.Absent {
		return absent
	}
	return Escaped(k.Text)
}

func keyTexts(keys []tally.Key) []string {
	texts := make([]string, len(keys))
	for i, key := range keys {
		texts[i] = keyText(key)
	}
	return texts
}
