package render

import (
	"strings"

	"frankledger/core/entry"
)

// markdown writes a table as GitHub Flavored Markdown has it, with the heading
// before and the footer after it.
type markdown struct{ view *View }

func (m markdown) Begin(dst []byte) []byte {
	v := m.view
	if !v.Plain {
		for _, line := range v.heading() {
			dst = append(dst, "**"+literal(line)+"**\n\n"...)
		}
	}
	rule := ""
	for _, f := range v.Columns {
		dst = append(dst, "| "+f.Name+" "...)
		switch f.Type {
		case entry.Number, entry.Bytes, entry.Span:
			rule += "| ---: "
		default:
			rule += "| --- "
		}
	}
	dst = append(dst, "|\n"...)
	return append(dst, rule+"|\n"...)
}

func (m markdown) Row(dst []byte, e *entry.Entry) []byte {
	for _, f := range m.view.Columns {
		left, right := m.view.cell(f, e)
		dst = append(dst, "| "+literal(strings.TrimSpace(left+" "+right))+" "...)
	}
	return append(dst, "|\n"...)
}

func (m markdown) End(dst []byte, s *Summary) []byte {
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
