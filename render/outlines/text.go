package outlines

import (
	"io"
	"iter"

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

// Text writes outlines for people: what is in a folder stands further in
// below it, with sizes in a column of their own.
func Text(to io.Writer, v *report.View, nodes []*outline.Node, s *report.Summary) error {
	g := layout.Grid{Palette: v.Palette, Width: v.Width, Columns: []layout.Column{{Shortest: render.Shortest}, {Right: true}, {Close: true}, {}}}
	for row := range rows(v, nodes) {
		g.Measure(row)
	}
	w := writer{to: to}
	for row := range rows(v, nodes) {
		w.write(g.AppendRow(w.text, row))
	}
	w.text = append(w.text, '\n')
	return w.end(v.AppendLines(w.text, append(v.TakenLines(), v.Footer(s)...)))
}

// rows lays lines out. Each row is valid only until the next one.
func rows(v *report.View, nodes []*outline.Node) iter.Seq[layout.Row] {
	return func(yield func(layout.Row) bool) {
		blank := layout.Row{Heading: true, Cells: []layout.Cell{{}}}
		cells := make([]layout.Cell, 0, 4)
		begun, heading := false, false
		for l := range lines(v, nodes) {
			if l.depth == 0 {
				if begun && !yield(blank) || !yield(layout.Row{Heading: true, Cells: []layout.Cell{{Text: l.name, Style: style.Heading}}}) {
					return
				}
				begun, heading = true, true
				continue
			}
			if heading && !yield(blank) {
				return
			}
			heading = false
			free := l.size == "" && l.note == ""
			cells = append(cells[:0], layout.Cell{Text: l.name, Style: l.style})
			if !free {
				cells = append(cells, layout.Cell{Text: l.size}, layout.Cell{Text: l.unit, Style: style.Quiet}, layout.Cell{Text: l.note, Style: style.Quiet})
			}
			if !yield(layout.Row{In: (l.depth - 1) * step, Cells: cells, Free: free}) {
				return
			}
		}
	}
}

// lines gives the lines of outlines.
func lines(v *report.View, nodes []*outline.Node) iter.Seq[outlineLine] {
	return func(yield func(outlineLine) bool) {
		for _, n := range nodes {
			if !eachLine(v, n, 0, yield) {
				return
			}
		}
	}
}

// eachLine gives the lines of a node and of what is below it, and reports whether to go on.
func eachLine(v *report.View, n *outline.Node, depth int, yield func(outlineLine) bool) bool {
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
	if !yield(l) {
		return false
	}
	for below := range n.Below() {
		if !eachLine(v, below, depth+1, yield) {
			return false
		}
	}
	if left, rest := n.Rest(); left > 0 {
		return yield(outlineLine{depth: depth + 1, style: style.Quiet, name: "and " + units.Grouped(int64(left)) + " more, " + v.SumText(&rest)})
	}
	return true
}
