// Package picture draws charts as pictures (SVG 1.1): a treemap, bars, lines over time, and two
// fields against each other. The text in them is text. A picture is part of a page, or stands by
// itself in a document.
package picture

import (
	"fmt"
	"strconv"
	"strings"

	"frankledger/render/page"
)

// Picture is a picture that is being drawn. Lengths are in pixels, as CSS has them.
type Picture struct {
	Width, Height float64
	Title         string // what it shows
	Made          string // when, and on which machine it was made
	body          []byte
}

// How much room there is around a picture that stands by itself, and for its title with the line below it.
const (
	around   = 16
	titleRow = 50
)

// Document returns the picture as a document by itself, under its title.
func (p *Picture) Document() []byte {
	light := page.PictureStyle(func(c page.Colour) string { return c.Light })
	dark := page.PictureStyle(func(c page.Colour) string { return c.Dark })
	title := fitting(p.Title, (p.Width)*13/15)
	width, height := number(p.Width+2*around), number(p.Height+2*around+titleRow)
	dst := fmt.Appendf(nil, `<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" class="pic" width="%s" height="%s" viewBox="0 0 %s %s" role="group">
`, width, height, width, height)
	dst = p.head(dst)
	dst = append(dst, "<style>"+light+"@media (prefers-color-scheme:dark){"+dark+"}</style>\n<rect class=\"x\" stroke=\"none\" width=\"100%\" height=\"100%\"/>\n"...)
	dst = fmt.Appendf(dst, `<text class="h" x="%d" y="%d">`, around, around+15)
	dst = append(page.AppendText(dst, title), "</text>\n"...)
	dst = fmt.Appendf(dst, `<text class="q" x="%d" y="%d">`, around, around+35)
	dst = append(page.AppendText(dst, fitting(p.Made, p.Width)), "</text>\n"...)
	dst = fmt.Appendf(dst, "<g transform=\"translate(%d %d)\">\n", around, around+titleRow)
	return append(append(dst, p.body...), "</g>\n</svg>\n"...)
}

// Append appends the picture as part of a page, of a class if one is given.
func (p *Picture) Append(dst []byte, class string) []byte {
	dst = fmt.Appendf(dst, `<svg class="%s" viewBox="0 0 %s %s" role="group">`, strings.TrimSpace("pic "+class), number(p.Width), number(p.Height))
	return append(append(p.head(dst), p.body...), "</svg>\n"...)
}

// head says what the picture shows, to those who do not see it.
func (p *Picture) head(dst []byte) []byte {
	if p.Title == "" {
		return dst
	}
	return page.AppendElement(dst, "title", "", p.Title)
}

// number writes a length with one digit after the point at most.
func number(n float64) string {
	text := strconv.FormatFloat(n, 'f', 1, 64)
	return strings.TrimSuffix(strings.TrimSuffix(text, ".0"), "-0")
}

// rect draws a rectangle.
func (p *Picture) rect(class string, opacity, x, y, w, h float64) {
	p.body = fmt.Appendf(p.body, `<rect class="%s"`, class)
	if opacity < 1 {
		p.body = fmt.Appendf(p.body, ` fill-opacity="%.2f"`, opacity)
	}
	p.body = fmt.Appendf(p.body, ` x="%s" y="%s" width="%s" height="%s"/>`, number(x), number(y), number(w), number(h))
}

// text writes text from a point on, in a class if one is given.
func (p *Picture) text(class string, x, y float64, text string) {
	p.body = fmt.Appendf(p.body, `<text x="%s" y="%s"`, number(x), number(y))
	if class != "" {
		p.body = fmt.Appendf(p.body, ` class="%s"`, class)
	}
	p.body = append(page.AppendText(append(p.body, '>'), text), "</text>"...)
}

// line draws a line.
func (p *Picture) line(class string, x, y, toX, toY float64) {
	p.body = fmt.Appendf(p.body, `<line class="%s" x1="%s" y1="%s" x2="%s" y2="%s"/>`, class, number(x), number(y), number(toX), number(toY))
}

// open begins a part with a title, which leads somewhere if a link is given; shut ends it.
func (p *Picture) open(link, about string) {
	if link != "" {
		p.body = append(page.AppendText(append(p.body, `<a href="`...), link), `">`...)
	} else {
		p.body = append(p.body, "<g>"...)
	}
	if about != "" {
		p.body = append(page.AppendText(append(p.body, "<title>"...), about), "</title>"...)
	}
}

func (p *Picture) shut(link string) {
	if link != "" {
		p.body = append(p.body, "</a>\n"...)
	} else {
		p.body = append(p.body, "</g>\n"...)
	}
}
