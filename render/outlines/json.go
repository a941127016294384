package outlines

import (
	"io"

	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/report"
)

// JSON writes outlines as one JSON document: in entries the places, in
// inside of each what is in it, and so on.
func JSON(to io.Writer, v *report.View, nodes []*outline.Node, s *report.Summary) error {
	frame := v.Frame(s)
	w := writer{to: to}
	w.text = render.BeginDocument(nil, frame)
	for i, n := range nodes {
		if i > 0 {
			w.text = append(w.text, ",\n"...)
		}
		w.node(n)
	}
	return w.end(render.EndDocument(w.text, frame))
}

// node writes a node, and what is below it.
func (w *writer) node(n *outline.Node) {
	if n.Leaf {
		for only := range n.Below() {
			n = only
			break
		}
	}
	name, kind := "", entry.KindFolder
	var path string
	if n.Entry == nil {
		name, path = n.Folder.Place.Given, n.Folder.Place.Given
	} else {
		name, kind, path = n.Entry.Name, n.Entry.Kind, n.Entry.Path()
	}
	o := exact.Begin(w.text)
	o.Text("path", path)
	o.Text("name", name)
	o.Text("kind", kind.String())
	if n.Folder == nil {
		o.MaybeNumber("size", n.Entry.Size, n.Entry.HasSize())
		if n.Entry.Known&entry.FactTarget != 0 {
			o.Text("target", n.Entry.More.Target)
		}
		w.write(o.End())
		return
	}
	o.MaybeNumber("size", n.Sum.Size, n.Sum.HasSize())
	o.MaybeNumber("disk", n.Sum.Disk, n.Sum.HasDisk())
	o.MaybeNumber("files", n.Sum.Files, n.Sum.HasEntries())
	o.MaybeNumber("folders", n.Sum.Folders, n.Sum.HasEntries())
	o.Key("inside")
	w.write(append(o.Dst, '['))
	begun := false
	for below := range n.Below() {
		if begun {
			w.text = append(w.text, ',')
		}
		begun = true
		w.text = append(w.text, '\n')
		w.node(below)
	}
	o.Dst = append(w.text, ']')
	if left, rest := n.Rest(); left > 0 {
		o.Number("left", int64(left))
		o.MaybeNumber("left_size", rest.Size, rest.HasSize())
	}
	w.write(o.End())
}
