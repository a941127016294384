package picture

import (
	"fmt"
	"math"
	"strconv"
	"time"

	"frankledger/core/chart"
	"frankledger/render/page"
)

// Line is an amount over time.
type Line struct {
	Label  string
	Amount string // the last one
	Points []Moment
}

// Moment is an amount at a moment.
type Moment struct {
	At    time.Time
	Value float64
	Known bool
	About string
}

// Scale says how amounts stand beside a picture.
type Scale struct {
	Steps chart.Steps
	Text  func(value float64) string
}

// How lines are drawn.
const (
	lineEach   = 20 // of the list of lines below
	linesTop   = 14
	linesBelow = 24 // for dates
	lineGap    = 13 // between the numbers of lines
)

// Lines draws amounts over time. Where there are several lines, each has a number, by which the
// list below names it.
func Lines(title string, lines []Line, scale Scale, width, height float64) *Picture {
	several := len(lines) > 1
	p := &Picture{Width: width, Height: height, Title: title}
	if several {
		p.Height += 8 + lineEach*float64(len(lines))
	}
	first, last, most := span(lines)
	ticks := chart.Ticks(most, 4, scale.Steps)
	left := 0.0
	for _, tick := range ticks {
		left = max(left, widthOf(scale.Text(tick)))
	}
	left += 8
	right := width - 12
	if several {
		right -= 22
	}
	up := chart.Axis{Min: 0, Max: ticks[len(ticks)-1], From: height - linesBelow, To: linesTop}
	across := chart.Axis{Min: seconds(first), Max: seconds(last), From: left, To: right}
	if !last.After(first) { // one moment stands at the end
		across.From = right
	}
	for _, tick := range ticks {
		p.line("g", left, up.At(tick), right, up.At(tick))
		p.text("q e", left-6, up.At(tick)+4.5, scale.Text(tick))
	}
	p.dates(first, last, across, height)
	ends := make([]float64, len(lines))
	for i, l := range lines {
		ends[i] = up.At(0)
		for _, m := range l.Points {
			if m.Known {
				ends[i] = up.At(m.Value)
			}
		}
	}
	places := chart.Spread(ends, lineGap, linesTop, height-linesBelow)
	for i, l := range lines {
		p.open("", "")
		p.path(i, l, across, up)
		p.shut("")
		if !several {
			p.text("q", left+8, linesTop+14, fitting(l.Label+", "+l.Amount, right-left-2*perCell))
		}
		if several {
			p.line("g", right+3, ends[i], right+9, places[i])
			p.text("s", right+12, places[i]+4, strconv.Itoa(i+1))
			y := height + 8 + lineEach*float64(i) + 14
			p.sample(i, 0, y-4.5)
			p.text("s", 40, y, strconv.Itoa(i+1))
			p.text("", 60, y, fitting(l.Label, width-60-widthOf(l.Amount)-2*perCell))
			p.text("e", width, y, l.Amount)
		}
	}
	return p
}

// span returns the first and the last moment, and the greatest amount.
func span(lines []Line) (first, last time.Time, most float64) {
	for _, l := range lines {
		for _, m := range l.Points {
			if first.IsZero() || m.At.Before(first) {
				first = m.At
			}
			if last.IsZero() || m.At.After(last) {
				last = m.At
			}
			if m.Known {
				most = max(most, m.Value)
			}
		}
	}
	return first, last, most
}

func seconds(t time.Time) float64 { return float64(t.Unix()) + float64(t.Nanosecond())/1e9 }

// dates writes dates below, as many as there is room for.
func (p *Picture) dates(first, last time.Time, across chart.Axis, height float64) {
	const label = "2006-01-02"
	about := max(1, int((across.To-across.From)/(widthOf(label)+24)))
	ticks, layout := chart.Dates(first, last, about)
	if len(ticks) < 2 { // too near to each other for a round one
		ticks, layout = []time.Time{first, last}, "01-02 15:04"
		if last.Sub(first) < time.Minute {
			ticks = ticks[1:]
		}
	}
	end := 0.0 // of what was written before
	for _, tick := range ticks {
		x, text := across.At(seconds(tick)), tick.Format(layout)
		half := widthOf(text) / 2
		from := min(max(x-half, 0), p.Width-2*half)
		if from < end {
			continue
		}
		p.line("g", x, height-linesBelow, x, height-linesBelow+5)
		p.text("q", from, height-6, text)
		end = from + 2*half + 8
	}
}

// path draws a line, with a gap where the amount is not known.
func (p *Picture) path(series int, l Line, across, up chart.Axis) {
	var d []byte
	on := false
	for _, m := range l.Points {
		if !m.Known || math.IsNaN(m.Value) {
			on = false
			continue
		}
		verb := byte('L')
		if !on {
			verb, on = 'M', true
		}
		d = append(append(d, verb), number(across.At(seconds(m.At)))...)
		d = append(append(d, ' '), number(up.At(m.Value))...)
	}
	p.body = fmt.Appendf(p.body, `<path class="l%d"%s d="%s"/>`, series%page.SeriesColours, dashes(series), d)
	for _, m := range l.Points {
		if m.Known {
			p.body = fmt.Appendf(p.body, `<circle class="f%d" cx="%s" cy="%s" r="3.5">`, series%page.SeriesColours, number(across.At(seconds(m.At))), number(up.At(m.Value)))
			p.body = append(page.AppendText(append(p.body, "<title>"...), m.About), "</title></circle>"...)
		}
	}
}

// sample draws how a line looks.
func (p *Picture) sample(series int, x, y float64) {
	p.body = fmt.Appendf(p.body, `<path class="l%d"%s d="M%s %sh30"/>`, series%page.SeriesColours, dashes(series), number(x), number(y))
}

// dashes tell lines apart for which there are no more colours.
func dashes(series int) string {
	return []string{"", ` stroke-dasharray="7 4"`, ` stroke-dasharray="2 3"`}[series/page.SeriesColours%3]
}
