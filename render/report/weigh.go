package report

import (
	"fmt"
	"path"

	"frankledger/core/row"
	"frankledger/core/weigh"
)

// WeighColumns returns what rows are shown with to people and to programs.
func WeighColumns(p *weigh.Plan) []row.Column[*weigh.Row] {
	label := row.TextColumn("folder", "the folder", func(r *weigh.Row) (string, bool) { return weighLabel(r), true })
	return append([]row.Column[*weigh.Row]{label.Shrinking().Looking((*weigh.Row).Look).For(row.People)}, p.Columns()...)
}

// weighLabel names a row.
func weighLabel(r *weigh.Row) string {
	f := r.Folder
	way := f.Relative()
	switch r.Kind {
	case weigh.DirectRow:
		if way == "" {
			return "directly in it"
		}
		return way + ", directly in it"
	case weigh.RestRow:
		text := fmt.Sprintf("%d more folders", r.Left)
		if r.Left == 1 {
			text = "1 more folder"
		}
		if way != "" {
			text = way + ", " + text
		}
		return text
	case weigh.FileRow:
		return "    " + r.File.Relative()
	}
	if way == "" {
		way = path.Base(f.Place.Full)
	}
	switch {
	case r.Complete:
	case r.Sum.Unread == 0 && r.Sum.Known == r.Sum.Entries():
		way += " (not all sizes known)"
	default:
		way += " (not all read)"
	}
	return way
}
