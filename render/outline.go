package render

import (
	"strings"

	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/outline"
)

// outlineLine is a line of an outline before it is laid out.
type outlineLine struct {
	depth      int
	name       string
	ink        ink
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
			name = max(name, (l.depth-1)*step+Width(l.name))
		}
		size, unit = max(size, Width(l.size)), max(unit, Width(l.unit))
	}
	note := 0
	for _, l := range lines {
		note = max(note, Width(l.note))
	}
	if v.Width > 0 {
		name = min(name, max(v.Width-indent-gap-size-1-unit-gap-note, narrowest))
	}
	for _, l := range lines {
		if l.depth == 0 {
			dst = append(v.Palette.put(dst, l.name, headingInk), '\n')
			continue
		}
		in := indent + (l.depth-1)*step
		if v.Width > 0 { // however deep, there is room for a name
			in = min(in, v.Width/2)
		}
		room := max(indent+name-in, 1)
		if l.size+l.note == "" {
			room = max(room, Width(l.name))
			if v.Width > 0 {
				room = min(room, v.Width-in)
			}
		}
		text := Shorten(l.name, room)
		dst = v.Palette.put(fill(dst, in), text, l.ink)
		if l.size != "" || l.note != "" {
			dst = fill(dst, max(indent+name-in-Width(text), 0)+gap+size-Width(l.size))
			dst = append(dst, l.size...)
			dst = append(dst, ' ')
			dst = v.Palette.put(dst, l.unit, quietInk)
			if l.note != "" {
				dst = fill(dst, unit-Width(l.unit)+gap)
				dst = v.Palette.put(dst, l.note, quietInk)
			}
		}
		for dst[len(dst)-1] == ' ' {
			dst = dst[:len(dst)-1]
		}
		dst = append(dst, '\n')
	}
	dst = append(dst, '\n')
	for _, line := range v.footer(s) {
		dst = append(v.Palette.put(dst, line.text, line.ink), '\n')
	}
	return dst
}

func (v *View) outlineLines(lines []outlineLine, n *outline.Node, depth int) []outlineLine {
	l := outlineLine{depth: depth}
	if n.Entry == nil {
		l.name = v.placeLine(n.Folder.Place)
	} else {
		e := n.Entry
		l.name, l.ink = Escaped(e.Name), inkOf(e.Look())
		switch {
		case n.Folder != nil && !n.Read && n.Sum.Entries() == 0:
			l.size, l.note = absent, "not all read"
		case n.Folder != nil:
			if l.size = absent; n.Sum.HasSize() {
				l.size, l.unit = v.Units.Size(n.Sum.Size)
			}
			l.note = Count(n.Sum.Files, "file", "files")
			if !n.Sum.Whole() {
				l.note += ", not all read"
			}
		case e.Kind == entry.KindFolder:
			l.size, l.note = absent, "not gone into"
		case e.HasSize():
			l.size, l.unit = v.Units.Size(e.Size)
		case e.Kind == entry.KindFile:
			l.size = absent
		case e.Kind == entry.KindLink && e.Known&entry.FactTarget != 0:
			l.name += " leads to " + Escaped(e.More.Target)
		default:
			l.note = e.Kind.String()
		}
	}
	lines = append(lines, l)
	for _, below := range n.Below {
		lines = v.outlineLines(lines, below, depth+1)
	}
	if n.Left > 0 {
		lines = append(lines, outlineLine{depth: depth + 1, ink: quietInk, name: "and " + Grouped(int64(n.Left)) + " more, " + v.Units.SizeText(n.Rest.Size)})
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
			dst = append(dst, "**"+literal(l.name)+"**\n\n"...)
			continue
		}
		text := strings.Repeat("  ", l.depth-1) + "- " + literal(l.name)
		if size := strings.TrimSpace(l.size + " " + l.unit); size != "" {
			text += " · " + size
		}
		if l.note != "" {
			text += " · " + l.note
		}
		dst = append(dst, text+"\n"...)
	}
	dst = append(dst, '\n')
	for _, line := range v.Footer(s) {
		dst = append(dst, literal(line)+"  \n"...)
	}
	return dst
}

// OutlineJSON appends outlines as one JSON document: in entries the places, in
// inside of each what is in it, and so on.
func (v *View) OutlineJSON(dst []byte, nodes []*outline.Node, s *Summary) []byte {
	dst = v.beginJSON(dst)
	for i, n := range nodes {
		if i > 0 {
			dst = append(dst, ",\n"...)
		}
		dst = v.outlineNode(dst, n)
	}
	return v.endJSON(dst, s)
}

func (v *View) outlineNode(dst []byte, n *outline.Node) []byte {
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
