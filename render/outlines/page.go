package outlines

import (
	"io"
	"strings"

	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/page"
	"frankledger/render/report"
	"frankledger/render/units"
)

// Page writes outlines as a page, in which folders can be folded.
func Page(to io.Writer, v *report.View, nodes []*outline.Node, s *report.Summary) error {
	var shown []outlineLine
	all := int64(0)
	for l := range lines(v, nodes) {
		if all++; all <= render.MostOnPage+1 { // the last tells whether something is below
			shown = append(shown, l)
		}
	}
	p, f := &page.Page{}, v.Frame(s)
	dst := render.BeginPage(nil, v.View, p, f)
	dst = append(dst, "<div class=\"tools folds\" hidden><button type=\"button\">Fold all</button><button type=\"button\">Unfold all</button></div>\n<div class=\"outline\">\n"...)
	var open []int // depths of lists that are open
	for i, l := range shown {
		if i == render.MostOnPage {
			break
		}
		for len(open) > 0 && open[len(open)-1] >= l.depth {
			dst = append(dst, "</ul></details>\n"...)
			open = open[:len(open)-1]
		}
		size := strings.TrimSpace(l.size + " " + l.unit)
		if l.note != "" {
			size = strings.TrimPrefix(size+" · "+l.note, " · ")
		}
		has := i+1 < len(shown) && shown[i+1].depth > l.depth
		if l.depth > 0 {
			dst = append(dst, "<li>"...)
		}
		if has {
			dst = append(dst, "<details open><summary>"...)
		}
		dst = page.AppendSpan(dst, render.ClassOf(l.style), l.name)
		if size != "" {
			dst = page.AppendSpan(append(dst, ' '), "quiet", size)
		}
		if has {
			dst = append(dst, "</summary>\n<ul>"...)
			open = append(open, l.depth)
		}
		dst = append(dst, '\n')
	}
	for range open {
		dst = append(dst, "</ul></details>\n"...)
	}
	dst = append(dst, "</div>\n"...)
	if left := all - render.MostOnPage; left > 0 {
		dst = page.AppendElement(dst, "p", "alarm", "and "+units.Count(left, "line", "lines")+" more not on this page; --depth and --first show fewer")
	}
	_, err := to.Write(render.EndPage(dst, p, f))
	return err
}
