package outlines

import (
	"io"
	"strings"

	"frankledger/core/outline"
	"frankledger/render"
	"frankledger/render/report"
)

// Markdown writes outlines as nested lists.
func Markdown(to io.Writer, v *report.View, nodes []*outline.Node, s *report.Summary) error {
	w := writer{to: to}
	for l := range lines(v, nodes) {
		if l.depth == 0 {
			w.write(append(w.text, "**"+render.Literal(l.name)+"**\n\n"...))
			continue
		}
		text := strings.Repeat("  ", l.depth-1) + "- " + render.Literal(l.name)
		if size := strings.TrimSpace(l.size + " " + l.unit); size != "" {
			text += " · " + size
		}
		if l.note != "" {
			text += " · " + l.note
		}
		w.write(append(w.text, text+"\n"...))
	}
	return w.end(render.AppendMarkdownLines(append(w.text, '\n'), v.Footer(s)))
}
