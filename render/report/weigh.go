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

// GrowthColumns returns what is shown of growth to people and to programs.
func GrowthColumns(p *weigh.Plan) []row.Column[*weigh.Growth] {
	label := row.TextColumn("folder", "what it is", func(g *weigh.Growth) (string, bool) { return growthLabel(g), true })
	return append([]row.Column[*weigh.Growth]{label.Shrinking().Looking((*weigh.Growth).Look).For(row.People)}, p.GrowthColumns()...)
}

// growthLabel names a row.
func growthLabel(g *weigh.Growth) string {
	way := g.Folder.Relative()
	in := func(text string) string {
		if way == "" {
			return text
		}
		return way + ", " + text
	}
	switch {
	case g.Kind == weigh.DirectRow:
		return in("directly in it")
	case g.Kind == weigh.RestRow && g.Same:
		return in(render.Count(int64(g.Left), "folder", "folders") + " without change")
	case g.Kind == weigh.RestRow && g.Left == 1:
		return in("1 more folder")
	case g.Kind == weigh.RestRow:
		return in(fmt.Sprintf("%d more folders", g.Left))
	}
	if way == "" {
		way = path.Base(g.Folder.Place.Full)
	}
	switch {
	case g.Came:
		way += " (new)"
	case g.Went:
		way += " (gone)"
	}
	if !g.Whole() {
		way += " (not all read)"
	}
	return way
}

// GrowthSummary fills in what the footer says of growth.
func (v *View) GrowthSummary(s *Summary, a *weigh.Grown, p *weigh.Plan) {
	change, text := a.Rows[0].Change, "as heavy as before"
	amount := func(n int64) string {
		if p.By == weigh.ByFiles {
			return render.Count(n, "file", "files")
		}
		return v.Units.SizeText(n)
	}
	switch {
	case !a.Rows[0].Known(p.By):
		text = "not known: what it weighs is not known on both sides"
	case change > 0:
		text = amount(change) + " more than before"
	case change < 0:
		text = amount(-change) + " less than before"
	}
	s.Lead = text
	known := func(of *weigh.Sum) int64 {
		if !a.Rows[0].Known(p.By) {
			return -1
		}
		return p.By.Of(of)
	}
	s.Numbers = append(s.Numbers, Number{"before", known(&a.Before)}, Number{"now", known(&a.After)})
	if !a.Rows[0].Whole() {
		s.Notes = append(s.Notes, "not everything was read on both sides: what is missing on one counts as change")
	}
}
