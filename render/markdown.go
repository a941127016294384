package render

import (
	"strings"

	"frankledger/core/row"
)

// markdown writes a table as GitHub Flavored Markdown has it, with the heading
// before and the footer after it.
type markdown[R any] struct {
	view    *View
	columns []row.Column[R]
}

func (m markdown[R]) Begin(dst []byte) []byte {
	v := m.view
	if !v.Plain {
		for _, line := range v.heading() {
			dst = append(dst, "**"+literal(line)+"**\n\n"...)
		}
	}
	rule := ""
	for i := range m.columns {
		dst = append(dst, "| "+m.columns[i].Name+" "...)
		switch m.columns[i].Type {
		case row.Number, row.Count, row.Bytes, row.Span:
			rule += "| ---: "
		default:
			rule += "| --- "
		}
	}
	dst = append(dst, "|\n"...)
	return append(dst, rule+"|\n"...)
}

func (m markdown[R]) Row(dst []byte, r R) []byte {
	for i := range m.columns {
		left, right := cell(m.view, &m.columns[i], r)
		dst = append(dst, "| "+literal(strings.TrimSpace(left+" "+right))+" "...)
	}
	return append(dst, "|\n"...)
}

func (m markdown[R]) End(dst []byte, s *Summary) []byte {
	if m.view.Plain {
		return dst
	}
	dst = append(dst, '\n')
	for _, line := range m.view.Footer(s) {
		dst = append(dst, literal(line)+"  \n"...)
	}
	return dst
}

// literal keeps text from being read as Markdown.
var literal = strings.NewReplacer(`\`, `\\`, `|`, `\|`, `*`, `\*`, `_`, `\_`, "`", "\\`", `[`, `\[`, `]`, `\]`, `<`, `\<`, `>`, `\>`, `~`, `\~`, `#`, `\#`, `&`, `\&`).Replace
