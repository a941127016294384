package charts

import (
	"cmp"
	"path"
	"slices"
	"strconv"

	"frankledger/core/chart"
	"frankledger/core/ledger/replay"
	"frankledger/core/quantity"
	"frankledger/core/sums"
	"frankledger/core/tally"
	"frankledger/core/weigh"
	"frankledger/render/picture"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// How large pictures are that stand by themselves.
const (
	PictureWidth  = 960
	PictureHeight = 560
	barsWidth     = 560
	levelsOnMap   = 3
)

// longestTold is how long a path is at most where it stands at each of many parts.
const longestTold = 160

// Amount is how much something weighs, in words.
func Amount(v *report.View, by sums.Measure, s *sums.Sum, complete bool) string {
	text := ""
	switch {
	case by == sums.ByFiles && s.HasEntries():
		text = units.Count(s.Files, "file", "files")
	case by == sums.ByDisk && s.HasDisk():
		text = v.Units.SizeText(s.Disk)
	case by == sums.BySize && s.HasSize():
		text = v.Units.SizeText(s.Size)
	default:
		return "not known"
	}
	if !complete {
		return "≥ " + text
	}
	return text
}

// made says when, and on which machine, a picture was made.
func made(v *report.View, p *picture.Picture) *picture.Picture {
	p.Made = v.Made()
	return p
}

// placesTitle names what an answer is of.
func placesTitle(v *report.View) string {
	if len(v.Places) == 1 {
		return v.PlaceLine(v.Places[0])
	}
	return units.Count(int64(len(v.Places)), "place", "places")
}

// MapOf makes the cells of a treemap of rows, of which the first is the whole.
func MapOf(v *report.View, rows []*weigh.Row, by sums.Measure) (whole *picture.Cell, cells map[*weigh.Row]*picture.Cell) {
	cells = map[*weigh.Row]*picture.Cell{}
	var above []*picture.Cell
	total := rows[0].Kind == weigh.TotalRow
	for i, r := range rows {
		level := r.Depth
		if total && i > 0 {
			level++
		}
		sum := Amount(v, by, &r.Sum, r.Complete)
		c := &picture.Cell{Label: typeset.Shorten(typeset.Escaped(mapLabel(r)), longestTold), Amount: sum, Weight: float64(by.Of(&r.Sum)), Rest: r.Kind != weigh.FolderRow && r.Kind != weigh.TotalRow}
		c.About = typeset.Shorten(typeset.Escaped(report.OwnLabel(r)), longestTold) + ": " + sum + ", " + share(r.Share)
		if by != sums.ByFiles && r.Sum.HasEntries() {
			c.About += ", " + units.Count(r.Sum.Files, "file", "files")
		}
		cells[r] = c
		if above = append(above[:level], c); level > 0 {
			above[level-1].Parts = append(above[level-1].Parts, c)
		}
	}
	for _, c := range cells {
		if !slices.ContainsFunc(c.Parts, func(part *picture.Cell) bool { return !part.Rest && part.Weight > 0 }) {
			c.Parts = nil // nothing but files
		}
		slices.SortStableFunc(c.Parts, func(a, b *picture.Cell) int { return cmp.Compare(b.Weight, a.Weight) })
	}
	return cells[rows[0]], cells
}

// mapLabel names a row by itself: where it stands is seen.
func mapLabel(r *weigh.Row) string {
	switch r.Kind {
	case weigh.FolderRow:
		return folderName(r)
	case weigh.DirectRow:
		return "in " + folderName(r) + " itself"
	case weigh.RestRow:
		return units.Count(int64(r.Left), "more folder", "more folders")
	}
	return report.OwnLabel(r)
}

// folderName is the name of a row's folder alone.
func folderName(r *weigh.Row) string {
	place := r.Folder.Place
	switch {
	case r.Folder.Parent != nil:
		return r.Folder.Name
	case place.Record != nil && r.Places > 1: // of several machines the name is the same
		return place.Given
	}
	return cmp.Or(path.Base(place.Full), place.Given)
}

// share is a share in words.
func share(millionths int64) string {
	return strconv.FormatFloat(float64(millionths)/1e4, 'f', 1, 64) + " %"
}

// WeighMap draws weights as a treemap.
func WeighMap(v *report.View, rows []*weigh.Row, by sums.Measure) *picture.Picture {
	whole, _ := MapOf(v, rows, by)
	p, _ := picture.Treemap(placesTitle(v)+": "+whole.Amount+", by folder", whole, PictureWidth, PictureHeight, levelsOnMap)
	return made(v, p)
}

// WeighBars draws weights as bars.
func WeighBars(v *report.View, rows []*weigh.Row, by sums.Measure) *picture.Picture {
	var bars []picture.Bar
	for _, r := range rows {
		if r.Depth == 0 && r.Kind == weigh.FolderRow && len(rows) > 1 && r.Places <= 1 || r.Kind == weigh.TotalRow {
			continue // the whole is told in the title
		}
		label := report.OwnLabel(r)
		bars = append(bars, picture.Bar{Label: typeset.Escaped(label), Amount: Amount(v, by, &r.Sum, r.Complete) + " · " + share(r.Share), About: typeset.Escaped(label),
			Share: float64(r.Share) / 1e6, Rest: r.Kind == weigh.RestRow || r.Kind == weigh.DirectRow})
	}
	whole := Amount(v, by, &rows[0].Sum, rows[0].Complete)
	return made(v, picture.Bars(placesTitle(v)+": the full length is "+whole, bars, barsWidth))
}

// part is how much of the greatest something is.
func part(n, most int64) float64 {
	if most <= 0 {
		return 0
	}
	return float64(n) / float64(most)
}

// TallyBars draws groups as bars: their bytes, or how many entries there are. The full length stands for the whole or,
// if that is 0, for the greatest group.
func TallyBars(v *report.View, groups []*tally.Group, count bool, label func(*tally.Group) string, width float64, link string, whole int64) *picture.Picture {
	most, series := whole, 0
	of := func(g *tally.Group) int64 { return g.Sum.Size }
	if count {
		of, series = func(g *tally.Group) int64 { return g.Sum.Entries() }, 1
	}
	for _, g := range groups {
		if !g.Rest && whole == 0 {
			most = max(most, of(g))
		}
	}
	bars := make([]picture.Bar, len(groups))
	for i, g := range groups {
		text := v.SumText(&g.Sum)
		if count {
			text = units.Grouped(g.Sum.Entries())
		} else if g.Sum.Entries() == 0 {
			text = v.Units.SizeText(0)
		}
		bars[i] = picture.Bar{Label: label(g), Amount: text, Share: part(of(g), most), Series: series, Rest: g.Rest, Link: link,
			About: label(g) + ": " + units.Count(g.Sum.Entries(), "entry", "entries") + ", " + v.SumText(&g.Sum)}
	}
	return picture.Bars("", bars, width)
}

// GroupLabel names a group.
func GroupLabel(g *tally.Group) string {
	if g.Rest {
		return units.Count(int64(g.Left), "more group", "more groups")
	}
	label := ""
	for i, k := range g.Keys {
		if i > 0 {
			label += " · "
		}
		label += report.KeyText(k)
	}
	return label
}

// TallyPicture draws groups as bars of their bytes or, if these have none, of how many entries there are.
func TallyPicture(v *report.View, groups []*tally.Group, by string) *picture.Picture {
	bytes := slices.ContainsFunc(groups, func(g *tally.Group) bool { return g.Sum.Size > 0 })
	whole := int64(0)
	for _, g := range groups {
		if bytes {
			whole = quantity.Add(whole, g.Sum.Size)
		} else {
			whole += g.Sum.Entries()
		}
	}
	p := TallyBars(v, groups, !bytes, GroupLabel, barsWidth, "", whole)
	what := ": content by "
	if !bytes {
		what = ": entries by "
	}
	p.Title = placesTitle(v) + what + by + "; the full length is 100 %"
	return made(v, p)
}

// CrossPicture draws one field against another.
func CrossPicture(v *report.View, c *tally.Cross, by string) *picture.Picture {
	most := int64(0)
	for _, g := range c.Cells {
		most = max(most, g.Sum.Size)
	}
	squares := make([][]picture.Square, len(c.Down))
	for i, key := range c.Down {
		for _, other := range c.Across {
			var s picture.Square
			if g := c.Cells[[2]tally.Key{key, other}]; g != nil {
				s = picture.Square{Text: v.ShortSum(&g.Sum), Share: part(g.Sum.Size, most),
					About: report.KeyText(key) + ", " + report.KeyText(other) + ": " + units.Count(g.Sum.Entries(), "entry", "entries") + ", " + v.SumText(&g.Sum)}
			}
			squares[i] = append(squares[i], s)
		}
	}
	return made(v, picture.Heat(placesTitle(v)+": content by "+by, report.KeyTexts(c.Down), report.KeyTexts(c.Across), squares))
}

// BytesScale is how bytes stand beside a picture.
func BytesScale(v *report.View) picture.Scale {
	steps := chart.Binary
	if v.Units.IsDecimal() {
		steps = chart.Decimal
	}
	return picture.Scale{Steps: steps, Text: func(value float64) string { return v.Units.RoundText(value) }}
}

// HistoryPicture draws how large something was at each record.
func HistoryPicture(v *report.View, histories []replay.Sizes) *picture.Picture {
	var lines []picture.Line
	for _, h := range histories {
		l := picture.Line{Label: "@" + typeset.Escaped(h.Label)}
		if terms := h.Terms.String(); terms != "" {
			l.Label += " (" + typeset.Escaped(terms) + ")"
		}
		for _, s := range h.Sizes {
			m := picture.Moment{At: s.Taken.In(v.Zone), Value: float64(s.Sum.Size), Known: s.There && s.Sum.HasSize(), About: v.Day(s.Taken) + ": not there"}
			if s.There {
				l.Amount = v.SumText(&s.Sum)
				m.About = v.Day(s.Taken) + ": " + l.Amount
			} else {
				l.Amount = "not there"
			}
			l.Points = append(l.Points, m)
		}
		lines = append(lines, l)
	}
	return made(v, picture.Lines(placesTitle(v)+": content at each record", lines, BytesScale(v), PictureWidth, 360))
}
