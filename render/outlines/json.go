package outlines

import (
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/report"
)

// JSON appends outlines as one JSON document: in entries the places, in
// inside of each what is in it, and so on.
func JSON(v *report.View, dst []byte, nodes []*outline.Node, s *report.Summary) []byte {
	frame := v.Frame(s)
	dst = render.BeginDocument(dst, frame)
	for i, n := range nodes {
		if i > 0 {
			dst = append(dst, ",\n"...)
		}
		dst = appendNode(v, dst, n)
	}
	return render.EndDocument(dst, frame)
}

func appendNode(v *report.View, dst []byte, n *outline.Node) []byte {
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
		o.Dst = appendNode(v, append(o.Dst, '\n'), below)
	}
	o.Dst = append(o.Dst, ']')
	if n.Left > 0 {
		o.Number("left", int64(n.Left))
		o.MaybeNumber("left_size", n.Rest.Size, n.Rest.HasSize())
	}
	return o.End()
}
