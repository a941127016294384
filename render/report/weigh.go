package report

import (
	"fmt"
	"path"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/sides"
	"frankledger/core/sums"
	"frankledger/core/tally"
	"frankledger/core/weigh"
	"frankledger/render/layout"
	"frankledger/render/units"
)

// WeighColumns returns what rows are shown with to people and to programs.
func WeighColumns(p *weigh.Plan) []row.Column[*weigh.Row] {
	what := "folder"
	if p.Heaviest > 0 {
		what = "file"
	}
	label := row.TextColumn(what, "what it is", func(r *weigh.Row) (string, bool) { return weighLabel(r), true })
	return append([]row.Column[*weigh.Row]{label.Shrinking().Looking((*weigh.Row).Look).Totalling((*weigh.Row).IsTotal).For(row.People)}, p.Columns()...)
}

// Weight is what one row weighs: a number alone.
func Weight(v *View, r *weigh.Row, by sums.Measure) []byte {
	var text []byte
	switch {
	case !by.Known(&r.Sum):
		return append(text, '?')
	case !r.Complete:
		text = append(text, "≥ "...)
	}
	n := by.Of(&r.Sum)
	if by == sums.ByFiles {
		return units.AppendGrouped(text, n)
	}
	return append(text, v.Units.SizeText(n)...)
}

// weighLabel names a row.
func weighLabel(r *weigh.Row) string {
	label := OwnLabel(r)
	if r.Places > 1 && r.Kind != weigh.TotalRow && r.File == nil {
		return strings.Repeat(" ", layout.Indent*(r.Depth+1)) + label
	}
	return label
}

// OwnLabel names a row without where it stands.
func OwnLabel(r *weigh.Row) string {
	if r.Kind == weigh.TotalRow {
		return "all " + units.Count(int64(r.Places), "place", "places")
	}
	f := r.Folder
	rel := f.Relative()
	switch r.Kind {
	case weigh.DirectRow:
		return itself(f, r.Places > 1)
	case weigh.RestRow:
		text := fmt.Sprintf("%d more folders", r.Left)
		if r.Left == 1 {
			text = "1 more folder"
		}
		if rel != "" {
			text = rel + ", " + text
		}
		return text
	case weigh.FileRow:
		switch {
		case !r.Alone && r.Places > 1:
			return strings.Repeat(" ", layout.Indent*(r.Depth+2)) + r.File.Relative()
		case !r.Alone:
			return strings.Repeat(" ", 2*layout.Indent) + r.File.Relative()
		case r.Places > 1:
			return r.File.Path()
		}
		return r.File.Relative()
	}
	rel = folderName(f, r.Places > 1)
	switch {
	case r.Complete:
	case r.Sum.Unread == 0 && r.Sum.Known == r.Sum.Entries():
		rel += " (not all sizes known)"
	default:
		rel += " (not all read)"
	}
	return rel
}

// folderName is what a folder is called: its path below the place, or the name of that.
func folderName(f *entry.Folder, several bool) string {
	switch rel := f.Relative(); {
	case rel != "":
		return rel
	case several:
		return f.Place.Given
	}
	return path.Base(f.Place.Full)
}

// itself names what is in a folder and in no folder of it.
func itself(f *entry.Folder, several bool) string { return "in " + folderName(f, several) + " itself" }

// Content and space on disk are told apart where one is so many times the other, and that
// is worth so many bytes.
const (
	muchMore  = 2
	muchBytes = 1 << 20
)

// WeighSummary fills in what the footer says of weights.
func (v *View) WeighSummary(s *Summary, a *weigh.Answer, p *weigh.Plan) {
	if a.Overlap {
		s.Notes = append(s.Notes, "one place lies in another: what both have is counted in each")
	}
	size, disk := a.Matched.Size, a.Matched.Disk
	if p.By != sums.BySize || !a.Matched.HasSize() || !a.Matched.HasDisk() {
		return
	}
	if apart := max(size, disk) - min(size, disk); apart >= muchBytes && max(size, disk) >= muchMore*min(size, disk) {
		s.Notes = append(s.Notes, "on disk all of that takes "+v.Units.SizeText(disk)+"; --by disk adds that up")
	}
}

// GrowthColumns returns what is shown of growth to people and to programs.
func GrowthColumns(p *weigh.Plan) []row.Column[*weigh.Growth] {
	label := row.TextColumn("folder", "what it is", func(g *weigh.Growth) (string, bool) { return growthLabel(g), true })
	return append([]row.Column[*weigh.Growth]{label.Shrinking().Looking((*weigh.Growth).Look).Totalling((*weigh.Growth).IsTotal).For(row.People)}, p.GrowthColumns()...)
}

// growthLabel names a row.
func growthLabel(g *weigh.Growth) string {
	rel := g.Folder.Relative()
	in := func(text string) string {
		if rel == "" {
			return text
		}
		return rel + ", " + text
	}
	switch {
	case g.Kind == weigh.DirectRow:
		return itself(g.Folder, false)
	case g.Kind == weigh.RestRow && g.Same && !g.Whole():
		return in(units.Count(int64(g.Left), "folder", "folders") + " with no known change (not all read)")
	case g.Kind == weigh.RestRow && g.Same:
		return in(units.Count(int64(g.Left), "folder", "folders") + " without change")
	case g.Kind == weigh.RestRow && g.Left == 1:
		return in("1 more folder")
	case g.Kind == weigh.RestRow:
		return in(fmt.Sprintf("%d more folders", g.Left))
	}
	rel = folderName(g.Folder, false)
	switch {
	case g.Came:
		rel += " (new)"
	case g.Went:
		rel += " (gone)"
	}
	if !g.Whole() {
		rel += " (not all read)"
	}
	return rel
}

// GrowthSummary fills in what the footer says of growth.
func (v *View) GrowthSummary(s *Summary, a *weigh.Grown, p *weigh.Plan) {
	amount := v.Units.SizeText
	if p.By == sums.ByFiles {
		amount = func(n int64) string { return units.Count(n, "file", "files") }
	}
	before, now, known := p.By.Of(&a.Before), p.By.Of(&a.After), a.Rows[0].Known(p.By)
	s.grown(before, now, known, a.Rows[0].Whole(), amount)
}

// HeldSummary fills in what the footer says of two sides that were held against one another.
func (v *View) HeldSummary(s *Summary, h *sides.Held) {
	s.Report.Add(h.Report)
	s.Report.SortProblems()
	s.onlyOne(h.Outside)
}

// onlyOne says how many entries only one side looked at.
func (s *Summary) onlyOne(n int64) {
	if n > 0 {
		s.Notes = append(s.Notes, units.Count(n, "entry", "entries")+" left out, because only one side looked at them")
	}
}

// TallyGrowthSummary fills in what the footer says of groups that have changed.
func (v *View) TallyGrowthSummary(s *Summary, a *tally.Grown) {
	known := (a.Before.HasSize() || a.Before.Entries() == 0) && (a.After.HasSize() || a.After.Entries() == 0)
	s.grown(a.Before.Size, a.After.Size, known, a.Before.Whole() && a.After.Whole(), v.Units.SizeText)
	if a.Same > 0 {
		s.Notes = append(s.Notes, units.Count(int64(a.Same), "group", "groups")+" without change")
	}
}

// grown says by how much the whole has changed.
func (s *Summary) grown(before, now int64, known, whole bool, amount func(int64) string) {
	switch {
	case !known:
		s.Lead = "the size is not known on both sides"
	case now > before:
		s.Lead = amount(now-before) + " more than before"
	case now < before:
		s.Lead = amount(before-now) + " less than before"
	default:
		s.Lead = "size unchanged"
	}
	if !known {
		before, now = -1, -1
	}
	s.Numbers = append(s.Numbers, Number{"before", before}, Number{"now", now})
	if !whole {
		s.Notes = append(s.Notes, "what could not be read on one side is ignored on both")
	}
}
