package outlines

import (
	"strings"

	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/report"
)

// Markdown appends outlines as nested lists.
func Markdown(v *report.View, dst []byte, nodes []*outline.Node, s *report.Summary) []byte {
	var lines []outlineLine
	for _, n := range nodes {
		lines = appendLines(v, lines, n, 0)
	}
	for _, l := range lines {
		if l.depth == 0 {
			dst = append(dst, "**"+render.Literal(l.name)+"**\n\n"...)
			continue
		}
		text := strings.Repeat("  ", l.depth-1) + "- " + render.Literal(l.name)
		if size := strings.TrimSpace(l.size + " " + l.unit); size != "" {
			text += " · " + size
		}
		if l.note != "" {
			text += " · " + l.note
		}
		dst = append(dst, text+"\n"...)
	}
	dst = append(dst, '\n')
	return render.AppendMarkdownLines(dst, v.Footer(s))
}
