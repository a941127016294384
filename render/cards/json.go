package cards

import (
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/inspect"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/render"
	"frankledger/render/report"
)

// JSON appends cards as one JSON document: entries, each with fields
// and what the card has beside, and problems.
func JSON(v *report.View, dst []byte, all []*inspect.Card, fields []*entry.Field, read *source.Report) []byte {
	columns := row.Choose(append(entry.Columns(v.Context, fields...), entry.UnknownColumn(fields)), row.Nested)
	document := exact.Begin(dst)
	document.Key("entries")
	document.Dst = append(document.Dst, '[')
	for i, c := range all {
		if i > 0 {
			document.Dst = append(document.Dst, ',')
		}
		o := exact.Reopen(render.AppendObject(append(document.Dst, '\n'), v.View, columns, c.Entry))
		putCard(o, c)
		document.Dst = o.End()
	}
	document.Dst = append(document.Dst, "\n]"...)
	document.Line()
	report.PutProblems(document, read.Problems)
	return append(document.End(), '\n')
}

// putCard writes what a card has beside fields.
func putCard(o *exact.Object, c *inspect.Card) {
	o.Text("full_path", c.Entry.Folder.Place.Full)
	d := c.Entry.Details()
	o.Texts("attributes", d.Xattrs)
	if r := c.Entry.Folder.Place.Record; r != nil {
		report.PutRecord(o, r)
	} else {
		o.Bool("access_list", d.Access != nil || d.Default != nil)
		o.Bool("enterable", c.MayEnter)
	}
	o.MaybeText("file_system", d.Filesystem)
	o.MaybeText("mount_point", d.Mount)
	if c.Entry.Kind == entry.KindLink {
		o.Texts("chain", c.Chain)
		o.Text("chain_end", map[inspect.End]string{inspect.Somewhere: "there", inspect.Nowhere: "missing", inspect.Round: "circle"}[c.End])
	}
	if h := c.Holds; h != nil {
		o.Object("holds", func(o *exact.Object) {
			o.Bool("complete", !c.Partly)
			o.MaybeNumber("disk", h.Disk, h.HasDisk())
			o.MaybeNumber("entries", h.Entries(), h.HasEntries())
			o.MaybeNumber("files", h.Files, h.HasEntries())
			o.MaybeNumber("folders", h.Folders, h.HasEntries())
			o.MaybeNumber("links", h.Links, h.HasEntries())
			o.MaybeNumber("others", h.Others, h.HasEntries())
			o.MaybeNumber("size", h.Size, h.HasSize())
		})
	}
	if c.Looked != nil {
		o.Texts("siblings", c.Siblings)
	}
	if c.Preview != nil {
		o.Texts("preview", c.Preview)
	}
}
