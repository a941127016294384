package report

import (
	"fmt"
	"path"
	"strings"

	"frankledger/core/row"
	"frankledger/core/weigh"
	"frankledger/render"
)

// WeighColumns returns what rows are shown with to people and to programs.
func WeighColumns(p *weigh.Plan) []row.Column[*weigh.Row] {
	what := "folder"
	if p.Heaviest > 0 {
		what = "file"
	}
	label := row.TextColumn(what, "what it is", func(r *weigh.Row) (string, bool) { return weighLabel(r), true })
	return append([]row.Column[*weigh.Row]{label.Shrinking().Looking((*weigh.Row).Look).For(row.People)}, p.Columns()...)
}

// weighLabel names a row.
func weighLabel(r *weigh.Row) string {
	label := ownLabel(r)
	if r.Places > 1 && r.Kind != weigh.TotalRow && r.File == nil {
		return strings.Repeat(" ", render.Indent*(r.Depth+1)) + label
	}
	return label
}

// ownLabel names a row without where it stands.
func ownLabel(r *weigh.Row) string {
	if r.Kind == weigh.TotalRow {
		return "all " + render.Count(int64(r.Places), "place", "places")
	}
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
		switch {
		case !r.Alone && r.Places > 1:
			return strings.Repeat(" ", render.Indent*(r.Depth+2)) + r.File.Relative()
		case !r.Alone:
			return strings.Repeat(" ", 2*render.Indent) + r.File.Relative()
		case r.Places > 1:
			return r.File.Path()
		}
		return r.File.Relative()
	}
	switch {
	case way == "" && r.Places > 1:
		way = f.Place.Given
	case way == "":
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

// Content and space on disk are told apart where one is so many times the other, and that
// is worth so many bytes.
const (
	muchMore  = 2
	muchBytes = 1 << 20
)

// WeighSummary fills in what the footer says of weights.
func (v *View) WeighSummary(s *Summary, a *weigh.Answer, p *weigh.Plan) {
	if a.Overlap {
		s.Notes = append(s.Notes, "one of the places lies in another: what is in both is counted in each")
	}
	size, disk := a.Matched.Size, a.Matched.Disk
	if p.By != weigh.BySize || !a.Matched.HasSize() || !a.Matched.HasDisk() {
		return
	}
	if apart := max(size, disk) - min(size, disk); apart >= muchBytes && max(size, disk) >= muchMore*min(size, disk) {
		s.Notes = append(s.Notes, "on disk all of that takes "+v.Units.SizeText(disk)+"; --by disk weighs by that")
	}
}
