package report

import (
	"strings"

	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/layout"
	"frankledger/render/page"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// outlineLine is a line of an outline before it is laid out.
type outlineLine struct {
	depth      int
	name       string
	ink        render.Style
	size, unit string
	note       string
}

// step is how much further in each level stands.
const step = 3

// Outline appends outlines for people: what is in a folder stands further in
// below it, with sizes in a column of their own.
func (v *View) Outline(dst []byte, nodes []*outline.Node, s *Summary) []byte {
	var lines []outlineLine
	for _, n := range nodes {
		lines = v.outlineLines(lines, n, 0)
	}
	name, size, unit := 0, 0, 0
	for _, l := range lines {
		if l.depth > 0 && l.size+l.note != "" { // other lines may run on
			name = max(name, (l.depth-1)*step+typeset.Width(l.name))
		}
		size, unit = max(size, typeset.Width(l.size)), max(unit, typeset.Width(l.unit))
	}
	note := 0
	for _, l := range lines {
		note = max(note, typeset.Width(l.note))
	}
	if v.Width > 0 {
		name = min(name, max(v.Width-layout.Indent-layout.Gap-size-1-unit-layout.Gap-note, render.Shortest))
	}
	for _, l := range lines {
		if l.depth == 0 {
			dst = append(v.Palette.Put(dst, l.name, render.HeadingStyle), '\n')
			continue
		}
		in := layout.Indent + (l.depth-1)*step
		if v.Width > 0 { // however deep, there is room for a name
			in = min(in, v.Width/2)
		}
		room := max(layout.Indent+name-in, 1)
		if l.size+l.note == "" {
			room = max(room, typeset.Width(l.name))
			if v.Width > 0 {
				room = min(room, v.Width-in)
			}
		}
		text := typeset.Shorten(l.name, room)
		dst = v.Palette.Put(typeset.Fill(dst, in), text, l.ink)
		if l.size != "" || l.note != "" {
			dst = typeset.Fill(dst, max(layout.Indent+name-in-typeset.Width(text), 0)+layout.Gap+size-typeset.Width(l.size))
			dst = append(dst, l.size...)
			dst = append(dst, ' ')
			dst = v.Palette.Put(dst, l.unit, render.QuietStyle)
			if l.note != "" {
				dst = typeset.Fill(dst, unit-typeset.Width(l.unit)+layout.Gap)
				dst = v.Palette.Put(dst, l.note, render.QuietStyle)
			}
		}
		for dst[len(dst)-1] == ' ' {
			dst = dst[:len(dst)-1]
		}
		dst = append(dst, '\n')
	}
	dst = append(dst, '\n')
	return v.AppendLines(dst, append(v.takenLines(), v.Footer(s)...))
}

func (v *View) outlineLines(lines []outlineLine, n *outline.Node, depth int) []outlineLine {
	l := outlineLine{depth: depth}
	if n.Entry == nil {
		l.name = v.placeLine(n.Folder.Place)
	} else {
		e := n.Entry
		l.name, l.ink = typeset.Escaped(e.Name), render.StyleOf(e.Look())
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
		lines = v.outlineLines(lines, below, depth+1)
	}
	if n.Left > 0 {
		lines = append(lines, outlineLine{depth: depth + 1, ink: render.QuietStyle, name: "and " + units.Grouped(int64(n.Left)) + " more, " + v.sumText(&n.Rest)})
	}
	return lines
}

// OutlineMarkdown appends outlines as nested lists.
func (v *View) OutlineMarkdown(dst []byte, nodes []*outline.Node, s *Summary) []byte {
	var lines []outlineLine
	for _, n := range nodes {
		lines = v.outlineLines(lines, n, 0)
	}
	for _, l := range lines {
		if l.depth == 0 {
			dst = append(dst, "**"+render.Literal(l.name)+"**\n\n"...)
			continue
		}
		text := strings.Repeat("  ", l.depth-1) + "- " + render.Literal(l.name)
		if size := strings.TrimSpace(l.size + " " + l.unit); size != "" {
			text += " · " + size
		}
		if l.note != "" {
			text += " · " + l.note
		}
		dst = append(dst, text+"\n"...)
	}
	dst = append(dst, '\n')
	return render.AppendMarkdownLines(dst, v.Footer(s))
}

// OutlinePage appends outlines as a page, in which folders can be folded.
func (v *View) OutlinePage(dst []byte, nodes []*outline.Node, s *Summary) []byte {
	var lines []outlineLine
	for _, n := range nodes {
		lines = v.outlineLines(lines, n, 0)
	}
	p, f := &page.Page{}, v.Frame(s)
	dst = render.BeginPage(dst, p, f)
	dst = append(dst, "<div class=\"tools folds\" hidden><button type=\"button\">Fold all</button><button type=\"button\">Unfold all</button></div>\n<div class=\"outline\">\n"...)
	var open []int // depths of lists that are open
	for i, l := range lines {
		if i == render.MostOnPage {
			break
		}
		for len(open) > 0 && open[len(open)-1] >= l.depth {
			dst = append(dst, "</ul></details>\n"...)
			open = open[:len(open)-1]
		}
		size := strings.TrimSpace(l.size + " " + l.unit)
		if l.note != "" {
			size = strings.TrimPrefix(size+" · "+l.note, " · ")
		}
		has := i+1 < len(lines) && lines[i+1].depth > l.depth
		if l.depth > 0 {
			dst = append(dst, "<li>"...)
		}
		if has {
			dst = append(dst, "<details open><summary>"...)
		}
		dst = page.AppendSpan(dst, render.ClassOf(l.ink), l.name)
		if size != "" {
			dst = page.AppendSpan(append(dst, ' '), "quiet", size)
		}
		if has {
			dst = append(dst, "</summary>\n<ul>"...)
			open = append(open, l.depth)
		}
		dst = append(dst, '\n')
	}
	for range open {
		dst = append(dst, "</ul></details>\n"...)
	}
	dst = append(dst, "</div>\n"...)
	if left := len(lines) - render.MostOnPage; left > 0 {
		dst = page.AppendElement(dst, "p", "alarm", "and "+units.Count(int64(left), "line", "lines")+" more, which this page does not have; --depth and --first show fewer")
	}
	return render.EndPage(dst, p, f)
}

// OutlineJSON appends outlines as one JSON document: in entries the places, in
// inside of each what is in it, and so on.
func (v *View) OutlineJSON(dst []byte, nodes []*outline.Node, s *Summary) []byte {
	frame := v.Frame(s)
	dst = render.BeginDocument(dst, frame)
	for i, n := range nodes {
		if i > 0 {
			dst = append(dst, ",\n"...)
		}
		dst = v.outlineNode(dst, n)
	}
	return render.EndDocument(dst, frame)
}

func (v *View) outlineNode(dst []byte, n *outline.Node) []byte {
	if n.Leaf && len(n.Below) == 1 {
		n = n.Below[0]
	}
	name, kind := "", entry.KindFolder
	var path string
	if n.Entry == nil {
		name, path = n.Folder.Place.Given, n.Folder.Place.Given
	} else {
		name, kind, path = n.Entry.Name, n.Entry.Kind, n.Entry.Path()
	}
	o := exact.Begin(dst)
	o.Text("path", path)
	o.Text("name", name)
	o.Text("kind", kind.String())
	if n.Folder == nil {
		o.MaybeNumber("size", n.Entry.Size, n.Entry.HasSize())
		if n.Entry.Known&entry.FactTarget != 0 {
			o.Text("target", n.Entry.More.Target)
		}
		return o.End()
	}
	o.MaybeNumber("size", n.Sum.Size, n.Sum.HasSize())
	o.MaybeNumber("disk", n.Sum.Disk, n.Sum.HasDisk())
	o.MaybeNumber("files", n.Sum.Files, n.Sum.HasEntries())
	o.MaybeNumber("folders", n.Sum.Folders, n.Sum.HasEntries())
	o.Key("inside")
	o.Dst = append(o.Dst, '[')
	for i, below := range n.Below {
		if i > 0 {
			o.Dst = append(o.Dst, ',')
		}
		o.Dst = v.outlineNode(append(o.Dst, '\n'), below)
	}
	o.Dst = append(o.Dst, ']')
	if n.Left > 0 {
		o.Number("left", int64(n.Left))
		o.MaybeNumber("left_size", n.Rest.Size, n.Rest.HasSize())
	}
	return o.End()
}
