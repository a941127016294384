package outlines

import (
	"frankledger/core/entry"
	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/report"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// outlineLine is a line of an outline before it is laid out.
type outlineLine struct {
	depth      int
	name       string
	style      style.Style
	size, unit string
	note       string
}

// step is how much further in each level stands.
const step = 3

// Text appends outlines for people: what is in a folder stands further in
// below it, with sizes in a column of their own.
func Text(v *report.View, dst []byte, nodes []*outline.Node, s *report.Summary) []byte {
	var lines []outlineLine
	for _, n := range nodes {
		lines = appendLines(v, lines, n, 0)
	}
	g := layout.Grid{Palette: v.Palette, Width: v.Width, Columns: []layout.Column{{Shortest: render.Shortest}, {Right: true}, {Close: true}, {}}}
	g.Grow(len(lines) + 2*len(nodes))
	cells := make([]layout.Cell, 0, len(g.Columns)*len(lines)) // of all rows
	blank := layout.Row{Heading: true, Cells: []layout.Cell{{}}}
	for i, l := range lines {
		if l.depth == 0 {
			if i > 0 {
				g.Add(blank)
			}
			g.Add(layout.Row{Heading: true, Cells: []layout.Cell{{Text: l.name, Style: style.Heading}}})
			if i+1 < len(lines) && lines[i+1].depth > 0 {
				g.Add(blank)
			}
			continue
		}
		from, free := len(cells), l.size+l.note == ""
		if cells = append(cells, layout.Cell{Text: l.name, Style: l.style}); !free {
			cells = append(cells, layout.Cell{Text: l.size}, layout.Cell{Text: l.unit, Style: style.Quiet}, layout.Cell{Text: l.note, Style: style.Quiet})
		}
		g.Add(layout.Row{In: (l.depth - 1) * step, Cells: cells[from:len(cells):len(cells)], Free: free})
	}
	dst = g.Append(dst)
	dst = append(dst, '\n')
	return v.AppendLines(dst, append(v.TakenLines(), v.Footer(s)...))
}

func appendLines(v *report.View, lines []outlineLine, n *outline.Node, depth int) []outlineLine {
	l := outlineLine{depth: depth}
	if n.Entry == nil {
		l.name = v.PlaceLine(n.Folder.Place)
	} else {
		e := n.Entry
		l.name, l.style = typeset.Escaped(e.Name), style.Of(e.Look())
		switch {
		case n.Folder != nil && !n.Read && n.Sum.Entries() == 0:
			l.size, l.note = entry.Unknown, "not all read"
		case n.Folder != nil:
			if l.size = entry.Unknown; n.Sum.HasSize() {
				l.size, l.unit = v.Units.Size(n.Sum.Size)
			}
			l.note = units.Count(n.Sum.Files, "file", "files")
			if !n.Sum.Whole() {
				l.note += ", not all read"
			}
		case e.Kind == entry.KindFolder:
			l.size, l.note = entry.Unknown, "not read"
		case e.HasSize():
			l.size, l.unit = v.Units.Size(e.Size)
		case e.Kind == entry.KindFile:
			l.size = entry.Unknown
		case e.Kind == entry.KindLink && e.Known&entry.FactTarget != 0:
			l.name += " leads to " + typeset.Escaped(e.More.Target)
		default:
			l.note = e.Kind.String()
		}
	}
	lines = append(lines, l)
	for _, below := range n.Below {
		lines = appendLines(v, lines, below, depth+1)
	}
	if n.Left > 0 {
		lines = append(lines, outlineLine{depth: depth + 1, style: style.Quiet, name: "and " + units.Grouped(int64(n.Left)) + " more, " + v.SumText(&n.Rest)})
	}
	return lines
}
