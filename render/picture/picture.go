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
	Title, About  string // what it shows, and what of
	body          []byte
}

// Append appends the picture as part of a page, of a class if one is given.
func (p *Picture) Append(dst []byte, class string) []byte {
	return p.append(dst, strings.TrimSpace("pic "+class), "", "")
}

// Document returns the picture as a document by itself.
func (p *Picture) Document() []byte {
	light := page.PictureStyle(func(c page.Colour) string { return c.Light })
	dark := page.PictureStyle(func(c page.Colour) string { return c.Dark })
	style := "<style>" + light + "@media (prefers-color-scheme:dark){" + dark + "}</style>\n<rect class=\"x\" stroke=\"none\" width=\"100%\" height=\"100%\"/>\n"
	return p.append([]byte("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"), "pic", fmt.Sprintf(` xmlns="http://www.w3.org/2000/svg" width="%s" height="%s"`, number(p.Width), number(p.Height)), style)
}

func (p *Picture) append(dst []byte, class, attributes, style string) []byte {
	dst = fmt.Appendf(dst, `<svg class="%s"%s viewBox="0 0 %s %s" role="group">`, class, attributes, number(p.Width), number(p.Height))
	dst = page.AppendElement(dst, "title", "", p.Title)
	if p.About != "" {
		dst = page.AppendElement(dst, "desc", "", p.About)
	}
	dst = append(dst, style...)
	return append(append(dst, p.body...), "</svg>\n"...)
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
