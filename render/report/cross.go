package report

import (
	"strings"

	"frankledger/core/tally"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/typeset"
	"frankledger/render/units"
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
				count, size = units.Grouped(g.Sum.Entries()), v.shortSum(&g.Sum)
			}
			counts, sizes = append(counts, count), append(sizes, size)
		}
		rows = append(rows, counts, sizes)
	}
	widths := make([]int, len(rows[0]))
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], typeset.Width(cell))
		}
	}
	room := v.roomFor(widths)
	dst = append(dst, '\n')
	for n, row := range rows {
		line := typeset.Fill(nil, layout.Indent)
		for i, cell := range row[:room] {
			pad := widths[i] - typeset.Width(cell)
			if i == 0 {
				line = typeset.Fill(append(line, cell...), pad)
				continue
			}
			line = append(typeset.Fill(line, layout.Gap+pad), cell...)
		}
		text := strings.TrimRight(string(line), " ")
		inkOfLine := render.PlainStyle
		if n == 0 || n%2 == 0 {
			inkOfLine = render.QuietStyle
		}
		dst = append(v.Palette.Put(dst, text, inkOfLine), '\n')
	}
	dst = append(dst, '\n')
	lines := v.Footer(s)
	if left := rows[0][room:]; len(left) > 0 {
		lines = append(lines, v.Wrapped([]render.Line{v.NoRoom(left)})...)
	}
	return v.AppendLines(dst, lines)
}

// roomFor is how many columns there is room for, the first always.
func (v *View) roomFor(widths []int) int {
	all := layout.Indent - layout.Gap
	for i, width := range widths {
		if all += width + layout.Gap; v.Width > 0 && all > v.Width && i > 0 {
			return i
		}
	}
	return len(widths)
}

func keyText(k tally.Key) string {
	if k.Absent {
		return render.Absent
	}
	return typeset.Escaped(k.Text)
}

func keyTexts(keys []tally.Key) []string {
	texts := make([]string, len(keys))
	for i, key := range keys {
		texts[i] = keyText(key)
	}
	return texts
}
