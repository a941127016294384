package report

import (
	"strings"

	"frankledger/core/tally"
	"frankledger/render"
)

// Cross appends a table of two dimensions: how many entries, and their bytes
// below.
func (v *View) Cross(dst []byte, c *tally.Cross, down, across string, s *Summary) []byte {
	dst = v.AppendLines(dst, v.heading())
	rows := [][]string{append([]string{down + " by " + across}, keyTexts(c.Across)...)}
	for _, key := range c.Down {
		counts, sizes := []string{keyText(key)}, []string{""}
		for _, other := range c.Across {
			count, size := "", ""
			if g := c.Cells[[2]tally.Key{key, other}]; g != nil {
				count, size = render.Grouped(g.Sum.Entries()), v.shortSum(&g.Sum)
			}
			counts, sizes = append(counts, count), append(sizes, size)
		}
		rows = append(rows, counts, sizes)
	}
	widths := make([]int, len(rows[0]))
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], render.Width(cell))
		}
	}
	dst = append(dst, '\n')
	for n, row := range rows {
		line := render.Fill(nil, render.Indent)
		for i, cell := range row {
			pad := widths[i] - render.Width(cell)
			if i == 0 {
				line = render.Fill(append(line, cell...), pad)
				continue
			}
			line = append(render.Fill(line, render.Gap+pad), cell...)
		}
		text := strings.TrimRight(string(line), " ")
		if v.Width > 0 && render.Width(text) > v.Width {
			text = render.Truncate(text, v.Width, "…")
		}
		inkOfLine := render.PlainStyle
		if n == 0 || n%2 == 0 {
			inkOfLine = render.QuietStyle
		}
		dst = append(v.Palette.Put(dst, text, inkOfLine), '\n')
	}
	dst = append(dst, '\n')
	return v.AppendLines(dst, v.Footer(s))
}

func keyText(k tally.Key) string {
	if k.Absent {
		return render.Absent
	}
	return render.Escaped(k.Text)
}

func keyTexts(keys []tally.Key) []string {
	texts := make([]string, len(keys))
	for i, key := range keys {
		texts[i] = keyText(key)
	}
	return texts
}
