package outlines

import (
	"strings"

	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/page"
	"frankledger/render/report"
	"frankledger/render/units"
)

// Page appends outlines as a page, in which folders can be folded.
func Page(v *report.View, dst []byte, nodes []*outline.Node, s *report.Summary) []byte {
	var lines []outlineLine
	for _, n := range nodes {
		lines = appendLines(v, lines, n, 0)
	}
	p, f := &page.Page{}, v.Frame(s)
	dst = render.BeginPage(dst, v.View, p, f)
	dst = append(dst, "<div class=\"tools folds\" hidden><button type=\"button\">Fold all</button><button type=\"button\">Unfold all</button></div>\n<div class=\"outline\">\n"...)
	var open []int // depths of lists that are open
	for i, l := range lines {
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
		has := i+1 < len(lines) && lines[i+1].depth > l.depth
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
	if left := len(lines) - render.MostOnPage; left > 0 {
		dst = page.AppendElement(dst, "p", "alarm", "and "+units.Count(int64(left), "line", "lines")+" more not on this page; --depth and --first show fewer")
	}
	return render.EndPage(dst, p, f)
}
