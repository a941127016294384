package report

import (
	"frankledger/core/tally"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Cross appends a table of two dimensions: how many entries, and their bytes
// below.
func (v *View) Cross(dst []byte, c *tally.Cross, down, over string, s *Summary) []byte {
	g := layout.Grid{Palette: v.Palette, Width: v.Width, Columns: []layout.Column{{}}}
	for range c.Across {
		g.Columns = append(g.Columns, layout.Column{Right: true})
	}
	across := KeyTexts(c.Across)
	g.Add(layout.Row{Cells: layout.Texts(append([]string{down + " by " + over}, across...)), Style: style.Quiet})
	for _, key := range c.Down {
		counts, sizes := []string{KeyText(key)}, []string{""}
		for _, other := range c.Across {
			count, size := "", ""
			if g := c.Cells[[2]tally.Key{key, other}]; g != nil {
				count, size = units.Grouped(g.Sum.Entries()), v.ShortSum(&g.Sum)
			}
			counts, sizes = append(counts, count), append(sizes, size)
		}
		g.Add(layout.Row{Cells: layout.Texts(counts)})
		g.Add(layout.Row{Cells: layout.Texts(sizes), Style: style.Quiet})
	}
	room := g.Fitting()
	g.Keep(room)
	dst = g.Append(append(v.AppendLines(dst, v.heading()), '\n'))
	dst = append(dst, '\n')
	lines := v.Footer(s)
	if left := across[room-1:]; len(left) > 0 {
		lines = append(lines, v.Wrapped([]render.Line{v.NoRoom(left)})...)
	}
	return v.AppendLines(dst, lines)
}

// KeyText is a key of a group as it is shown.
func KeyText(k tally.Key) string {
	if k.Absent {
		return render.Absent
	}
	return typeset.Escaped(k.Text)
}

// KeyTexts are some keys as they are shown.
func KeyTexts(keys []tally.Key) []string {
	texts := make([]string, len(keys))
	for i, key := range keys {
		texts[i] = KeyText(key)
	}
	return texts
}
