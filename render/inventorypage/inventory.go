package inventorypage

import (
	"container/heap"
	"fmt"
	"slices"
	"strings"

	"frankledger/core/chart"
	"frankledger/core/entry"
	"frankledger/core/inventory"
	"frankledger/core/ledger/replay"
	"frankledger/core/row"
	"frankledger/core/sums"
	"frankledger/core/tally"
	"frankledger/core/weigh"
	"frankledger/render"
	"frankledger/render/charts"
	"frankledger/render/page"
	"frankledger/render/picture"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Report is a report of places, as a page.
type Report struct {
	*report.View
	Answer *inventory.Answer
	By     sums.Measure
	// Command is the command line that gives what the report tells in one place: a command
	// with options about the places of the report, and a condition beside that of the report.
	// Of some places only, if any are given.
	Command func(words []string, where string, places ...string) string
	// Made is the command line that made the report.
	Made string

	page     *page.Page
	dst      []byte
	commands int
}

// What a report has room for.
const (
	mostAreas       = 4200 // of all treemaps
	mostBars        = 12
	mostSets        = 25
	mostCopies      = 20
	longestRelative = 8 // folders above one that is gone into
)

// Page returns the report.
func (r *Report) Page(s *report.Summary) []byte {
	r.page = &page.Page{Style: page.ReportStyle + page.PictureStyle(func(c page.Colour) string { return "var(--" + c.Name + ")" })}
	r.whatIsHere()
	r.whatFills()
	r.whatGrew()
	r.whatKinds()
	r.bands("How old", r.Answer.Ages, "age")
	r.bands("How large", r.Answer.Sizes, "size")
	r.files()
	r.copies()
	r.concerns(s)
	body := r.dst
	frame := r.Frame(s)
	dst := render.BeginPage(nil, r.View.View, r.page, frame)
	dst = append(dst, body...)
	r.dst = nil
	r.element("footer", "", "Made by "+r.Made+" on "+r.Day(r.Context.AsOf)+".")
	footer := r.dst
	return render.EndPage(append(dst, footer...), r.page, frame)
}

func (r *Report) raw(text string) { r.dst = append(r.dst, text...) }
func (r *Report) element(name, class, text string) {
	r.dst = page.AppendElement(r.dst, name, class, text)
}

// command adds a command line.
func (r *Report) command(words []string, where string, places ...string) {
	r.commands++
	r.raw(fmt.Sprintf(`<p class="how" id="c%d"><code>`, r.commands))
	r.dst = page.AppendText(r.dst, r.Command(words, where, places...))
	r.raw("</code></p>\n")
}

// next is what leads to the command line that is added next, after so many others.
func (r *Report) next(after int) string { return fmt.Sprintf("#c%d", r.commands+1+after) }

// number adds a number that leads to its command line.
func (r *Report) number(class, link, text string) {
	r.raw(`<a class="` + class + `" href="` + link + `">`)
	r.dst = page.AppendText(r.dst, text)
	r.raw("</a>")
}

func (r *Report) section(heading string) { r.raw("<section>\n"); r.element("h2", "", heading) }

// whatIsHere tells how much there is.
func (r *Report) whatIsHere() {
	a := r.Answer
	sum := &a.Sum
	r.section("What is here")
	kinds, size, disk := r.next(0), r.next(1), r.next(2)
	r.raw(`<dl class="facts">`)
	fact := func(name, link, text string) {
		r.raw("<div>")
		r.element("dt", "", name)
		r.raw("<dd>")
		r.number("", link, text)
		r.raw("</dd></div>\n")
	}
	count := func(n int64) string {
		switch {
		case !sum.HasEntries():
			return "not known"
		case sum.Unread > 0:
			return "≥ " + units.Grouped(n)
		}
		return units.Grouped(n)
	}
	fact("content", size, charts.Amount(r.View, sums.BySize, sum, sum.Whole()))
	fact("on disk", disk, charts.Amount(r.View, sums.ByDisk, sum, sum.Whole()))
	fact("files", kinds, count(sum.Files))
	fact("folders", kinds, count(sum.Folders))
	if sum.Links > 0 {
		fact("links", kinds, count(sum.Links))
	}
	if sum.Others > 0 {
		fact("pipes, sockets, devices", kinds, count(sum.Others))
	}
	r.raw("</dl>\n")
	if a.Overlap {
		r.element("p", "alarm", "One place lies in another: what both have is counted in each.")
	}
	r.command([]string{"tally", "--by", "kind"}, "")
	r.command([]string{"weigh"}, "")
	r.command([]string{"weigh", "--by", "disk"}, "")
	r.raw("</section>\n")
}

// whatFills tells where it is: as treemaps that lead into one another, and as a table.
func (r *Report) whatFills() {
	r.section("What takes up space")
	what := []string{"how much content is in it", "how much space it takes on disk", "how many files are in it"}[r.By]
	r.element("p", "quiet", "Each box is a folder; its area shows "+what+". Click a folder to open it; click its path above to go back.")
	plan, s := weigh.Plan{By: r.By}, &report.Summary{}
	r.WeighSummary(s, &weigh.Answer{Matched: r.Answer.Sum}, &plan)
	for _, note := range s.Notes {
		note, _, _ = strings.Cut(note, "; --") // commands stand apart
		r.element("p", "", upperFirst(note)+".")
	}
	r.maps()
	r.dst = render.AppendTable(r.dst, r.page, r.View.View, "weights", report.WeighColumns(&plan), row.List[*weigh.Row](r.Answer.Heaviest))
	r.command([]string{"weigh", "--by", sums.MeasureWords[r.By]}, "")
	r.raw("</section>\n")
}

// maps draws a treemap of the whole, and of the folders that can be gone into, the heaviest
// first, for as long as there is room.
func (r *Report) maps() {
	rows := r.Answer.Map
	whole, cells := charts.MapOf(r.View, rows, r.By)
	above := map[*picture.Cell]*picture.Cell{}
	for _, c := range cells {
		for _, part := range c.Parts {
			above[part] = c
		}
	}
	// First it is found which there are, as each leads to others.
	chosen := map[*picture.Cell]int{}
	var order []*picture.Cell
	for waiting, areas := (heaviest{whole}), 0; len(waiting) > 0 && areas < mostAreas; {
		c := heap.Pop(&waiting).(*picture.Cell)
		_, drawn := picture.Treemap("", c, charts.PictureWidth, charts.PictureHeight, 2)
		areas += drawn + 4 // its path and its frame
		chosen[c] = len(order)
		order = append(order, c)
		for _, part := range c.Parts {
			if len(part.Parts) > 1 || len(part.Parts) == 1 && !part.Parts[0].Rest {
				heap.Push(&waiting, part)
			}
		}
	}
	for _, c := range order {
		if n := chosen[c]; n > 0 {
			c.Link = fmt.Sprintf("#m%d", n)
		}
	}
	r.raw(`<div class="map">` + "\n")
	for i := len(order) - 1; i >= 0; i-- { // the whole stands last: it is shown unless another is
		c := order[i]
		class := "view"
		if i == 0 {
			class = "view whole"
		}
		r.raw(fmt.Sprintf(`<div class="%s" id="m%d"><p class="way">`, class, i))
		var rel []*picture.Cell
		for at := c; at != nil; at = above[at] {
			rel = append(rel, at)
		}
		for j := len(rel) - 1; j > 0; j-- {
			if j == len(rel)-2 && j > longestRelative {
				r.raw("… / ")
				j = longestRelative
			}
			r.number("", fmt.Sprintf("#m%d", chosen[rel[j]]), rel[j].Label)
			r.raw(" / ")
		}
		r.dst = page.AppendSpan(r.dst, "here", c.Label)
		r.dst = page.AppendSpan(append(r.dst, ' '), "quiet", c.Amount)
		r.raw("</p>\n")
		link := c.Link
		c.Link = ""
		levels := 2
		if i == 0 && len(r.Places) > 1 {
			levels = 3 // the places are one more
		}
		wide, _ := picture.Treemap(c.About, c, charts.PictureWidth, charts.PictureHeight-60, levels)
		slim, _ := picture.Treemap(c.About, c, 360, 460, levels)
		c.Link = link
		r.dst = slim.Append(wide.Append(r.dst, "wide"), "slim")
		r.raw("</div>\n")
	}
	r.raw("</div>\n")
}

// heaviest are cells, the heaviest first; it implements heap.Interface.
type heaviest []*picture.Cell

func (h heaviest) Len() int           { return len(h) }
func (h heaviest) Less(i, j int) bool { return h[i].Weight > h[j].Weight }
func (h heaviest) Swap(i, j int)      { h[i], h[j] = h[j], h[i] }
func (h *heaviest) Push(c any)        { *h = append(*h, c.(*picture.Cell)) }
func (h *heaviest) Pop() any {
	last := len(*h) - 1
	c := (*h)[last]
	*h = (*h)[:last]
	return c
}

// whatGrew tells how places have changed over their records.
func (r *Report) whatGrew() {
	for _, g := range r.Answer.Growth {
		if g.Records == 0 && g.Others == 0 {
			continue
		}
		heading := "What grew"
		if len(r.Answer.Growth) > 1 {
			heading += " in " + typeset.Escaped(g.Place.Given)
		}
		r.section(heading)
		if g.Records == 0 {
			r.element("p", "", units.Count(int64(g.Others), "record was", "records were")+" made with other options than this report and cannot be compared with it; frank ledger entries lists them.")
			r.raw("</section>\n")
			continue
		}
		r.growth(g)
		r.raw("</section>\n")
	}
}

func (r *Report) growth(g *inventory.Growth) {
	since := "@" + g.Last.Label + ", " + r.Day(g.Last.Taken)
	if g.Since != nil {
		s := &report.Summary{}
		plan := weigh.Plan{By: r.By}
		r.GrowthSummary(s, g.Since, &plan)
		r.raw(`<p class="lead">`)
		before, after := &g.Since.Before, &g.Since.After
		lead := strings.TrimSuffix(upperFirst(s.Lead), "before")
		r.number("", r.next(0), strings.TrimSpace(lead))
		r.dst = page.AppendText(r.dst, " at the last record ("+typeset.Escaped(since)+"): "+charts.Amount(r.View, r.By, before, before.Whole())+" then, "+charts.Amount(r.View, r.By, after, after.Whole())+" now.")
		r.raw("</p>\n")
		for _, note := range s.Notes {
			r.element("p", "quiet", note)
		}
	}
	r.raw(`<div class="pair">` + "\n<div>")
	r.element("h3", "", "The whole, over "+units.Count(int64(g.Records), "record", "records"))
	r.lines(r.line(g, "all of it", func(p *inventory.Point) *inventory.Amount { return &p.Whole }))
	r.raw("</div>\n")
	if len(g.Folders) > 0 {
		r.raw("<div>")
		r.element("h3", "", "The folders that grew most")
		var lines []picture.Line
		for i, f := range g.Folders {
			lines = append(lines, r.line(g, typeset.Escaped(f.Relative()), func(p *inventory.Point) *inventory.Amount { return &p.Folders[i] }))
		}
		r.lines(lines...)
		r.raw("</div>\n")
	}
	r.raw("</div>\n")
	if g.Since != nil {
		plan := weigh.Plan{By: r.By}
		r.element("h3", "", "What changed since the last record")
		r.dst = render.AppendTable(r.dst, r.page, r.View.View, "growth", report.GrowthColumns(&plan), row.List[*weigh.Growth](g.Since.Rows))
		r.command([]string{"weigh", "--by", sums.MeasureWords[r.By], "--since", g.Before()}, "", g.Place.Given)
	}
	r.command([]string{"ledger", "entries"}, "", "")
	if slices.ContainsFunc(g.Points, func(p inventory.Point) bool { return r.IsAhead(p.Taken) }) {
		r.element("p", "quiet", report.AheadOfTime)
	}
	if g.Others > 0 {
		r.element("p", "quiet", units.Count(int64(g.Others), "record", "records")+" made with other options left out")
	}
}

// line is a line of an amount of each point.
func (r *Report) line(g *inventory.Growth, label string, of func(*inventory.Point) *inventory.Amount) picture.Line {
	l := picture.Line{Label: label}
	for i := range g.Points {
		p := &g.Points[i]
		a := of(p)
		at := p.Taken
		if at.IsZero() {
			at = r.Context.AsOf
		}
		m := picture.Moment{At: at.In(r.Zone), Value: float64(r.By.Of(&a.Sum)), Known: a.State == replay.There && r.knows(&a.Sum)}
		switch l.Amount = a.State.String(); a.State {
		case replay.There:
			l.Amount = charts.Amount(r.View, r.By, &a.Sum, a.Sum.Whole())
		case replay.Absent:
			m.Known = true // nothing weighs nothing
		}
		m.About = label + ", " + r.Day(at) + ": " + l.Amount
		l.Points = append(l.Points, m)
	}
	return l
}

// knows reports whether it is known how much a sum weighs.
func (r *Report) knows(s *sums.Sum) bool {
	switch r.By {
	case sums.ByDisk:
		return s.HasDisk()
	case sums.ByFiles:
		return s.HasEntries()
	}
	return s.HasSize()
}

// lines draws lines.
func (r *Report) lines(lines ...picture.Line) {
	scale := charts.BytesScale(r.View)
	if r.By == sums.ByFiles {
		scale = countScale
	}
	r.dst = picture.Lines("", lines, scale, 460, 260).Append(r.dst, "")
}

// countScale is how numbers of files stand beside a picture.
var countScale = picture.Scale{Steps: chart.Whole, Text: func(value float64) string { return units.Grouped(int64(value)) }}

// whatKinds tells what sorts of files there are.
func (r *Report) whatKinds() {
	r.section("What kinds of files")
	label := orAbsent("no extension")
	link := r.next(0)
	r.raw(`<div class="pair">` + "\n")
	for _, by := range []struct {
		heading string
		count   bool
	}{{"By content", false}, {"By number", true}} {
		groups := r.Answer.Exts.Most(mostBars, by.count)
		r.raw("<div>")
		r.element("h3", "", by.heading)
		r.dst = charts.TallyBars(r.View, groups, by.count, label, 460, link, 0).Append(r.dst, "")
		r.raw("</div>\n")
	}
	r.raw("</div>\n")
	r.command([]string{"tally", "--by", "ext"}, "kind is file")
	r.raw("</section>\n")
}

// orAbsent names groups, and that of what has no value by a word.
func orAbsent(word string) func(*tally.Group) string {
	return func(g *tally.Group) string {
		if !g.Rest && g.Keys[0].Absent {
			return word
		}
		return charts.GroupLabel(g)
	}
}

// bands tells how files are spread over ages or sizes.
func (r *Report) bands(heading string, t *tally.Tally, by string) {
	r.section(heading)
	groups := t.InBands()
	link := r.next(0)
	r.raw(`<div class="pair">` + "\n")
	for _, count := range []bool{true, false} {
		r.raw("<div>")
		if count {
			r.element("h3", "", "Number of files")
		} else {
			r.element("h3", "", "Content of files")
		}
		r.dst = charts.TallyBars(r.View, groups, count, orAbsent("not known"), 460, link, 0).Append(r.dst, "")
		r.raw("</div>\n")
	}
	r.raw("</div>\n")
	r.command([]string{"tally", "--by", by}, "kind is file")
	r.raw("</section>\n")
}

// files tells of the heaviest files, and of the newest.
func (r *Report) files() {
	a := r.Answer
	plan := weigh.Plan{By: inventory.OfFiles(r.By), Heaviest: len(a.Largest)}
	r.section("Largest files")
	if len(a.Largest) == 0 {
		r.element("p", "quiet", "There are no files.")
	} else {
		r.dst = render.AppendTable(r.dst, r.page, r.View.View, "largest", report.WeighColumns(&plan), row.List[*weigh.Row](a.Largest))
	}
	words := []string{"weigh", "--heaviest", fmt.Sprint(max(1, len(a.Largest)))}
	if r.By == sums.ByDisk {
		words = append(words, "--by", sums.MeasureWords[r.By])
	}
	r.command(words, "")
	r.raw("</section>\n")
	r.section("Newest files")
	if len(a.Newest) > 0 {
		columns := entry.ColumnsNamed(r.Context, "name", "size", "modified", "owner")
		r.dst = render.AppendTable(r.dst, r.page, r.View.View, "newest", columns, row.List[*entry.Entry](a.Newest))
	} else {
		r.element("p", "quiet", "There are no files.")
	}
	r.command([]string{"search", "--order", "modified", "--first", fmt.Sprint(max(1, len(a.Newest)))}, "kind is file")
	r.raw("</section>\n")
}

// copies tells what there is twice.
func (r *Report) copies() {
	r.section("Copies")
	a := r.Answer.Copies
	if a == nil {
		r.element("p", "quiet", "Not looked for, because that means reading the content of files: --copies does that.")
		r.command([]string{"duplicates"}, "")
		r.raw("</section>\n")
		return
	}
	s := &report.Summary{}
	r.DuplicatesSummary(s, a, a.Matched.Files, 0)
	r.raw(`<p class="lead">`)
	r.number("", r.next(0), upperFirst(s.Lead)+".")
	r.raw("</p>\n")
	for i, set := range a.Sets {
		if i == mostSets {
			r.element("p", "quiet", "and "+units.Count(int64(len(a.Sets)-i), "set", "sets")+" more")
			break
		}
		r.raw("<details><summary>")
		r.dst = page.AppendText(r.dst, r.SetLine(set))
		r.raw("</summary>\n<ul>\n")
		for j, c := range set.Copies {
			if j == mostCopies {
				r.element("li", "quiet", "and "+units.Count(int64(len(set.Copies)-j), "path", "paths")+" more")
				break
			}
			r.element("li", "", typeset.Escaped(c.Entry.Path()))
		}
		r.raw("</ul></details>\n")
	}
	r.command([]string{"duplicates"}, "")
	r.raw("</section>\n")
}

func upperFirst(text string) string {
	if text == "" {
		return text
	}
	return strings.ToUpper(text[:1]) + text[1:]
}

// concerns tells what may need a look.
func (r *Report) concerns(s *report.Summary) {
	r.section("What may need attention")
	r.raw("<ul class=\"concerns\">\n")
	for _, c := range r.Answer.Concerns {
		r.raw("<li><p>")
		switch {
		case c.Untold:
			r.dst = page.AppendSpan(r.dst, "n quiet", "?")
		case c.Count == 0 && c.Unknown > 0:
			r.number("n", r.next(0), "not known")
		case c.Unknown > 0 || r.Answer.Sum.Unread > 0:
			r.number("n", r.next(0), "≥ "+units.Grouped(c.Count))
		default:
			r.number("n", r.next(0), units.Grouped(c.Count))
		}
		name := c.Many
		if c.Count == 1 && c.Unknown == 0 {
			name = c.One
		}
		r.dst = page.AppendText(append(r.dst, ' '), name)
		if c.Untold {
			r.dst = page.AppendSpan(r.dst, "quiet", ": not looked for; --copies reads content to find them")
		}
		r.raw("</p>\n")
		if len(c.Some) > 0 {
			r.raw("<ul>\n")
			for _, e := range c.Some {
				r.element("li", "", typeset.Escaped(e.Path()))
			}
			if left := c.Count - int64(len(c.Some)); left > 0 {
				r.element("li", "quiet", "and "+units.Grouped(left)+" more")
			}
			r.raw("</ul>\n")
		}
		r.command([]string{"search"}, c.Where)
		r.raw("</li>\n")
	}
	if problems := report.ProblemCount(s); problems != "" {
		r.raw("<li><p>")
		r.number("n", "#problems", units.Grouped(int64(len(s.Report.Problems))))
		r.dst = page.AppendText(r.dst, " "+problems)
		r.raw("</p></li>\n")
	}
	r.raw("</ul>\n</section>\n")
}
