package render

import (
	"cmp"
	"strings"

	"frankledger/core/row"
	"frankledger/render/style"
)

// markdown writes a table as GitHub Flavored Markdown has it, with the heading
// before and the footer after it.
type markdown[R any] struct {
	view    *View
	columns []row.Column[R]
}

func (m markdown[R]) Begin(dst []byte, f Frame) []byte {
	v := m.view
	if !v.Plain {
		for _, line := range f.Heading() {
			if line.Style == style.Heading {
				dst = append(dst, "**"+Literal(line.Text)+"**\n\n"...)
			} else {
				dst = append(dst, Literal(line.Text)+"\n\n"...)
			}
		}
	}
	rule := ""
	for i := range m.columns {
		dst = append(dst, "| "+m.columns[i].Name+" "...)
		switch m.columns[i].Type {
		case row.Number, row.Count, row.Bytes, row.Span, row.MoreBytes, row.MoreCount:
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
		left, right := Cell(m.view, &m.columns[i], r)
		if right == Absent {
			right = cmp.Or(m.columns[i].Words(r), Absent)
		}
		dst = append(dst, "| "+Literal(strings.TrimSpace(left+" "+right))+" "...)
	}
	return append(dst, "|\n"...)
}

func (m markdown[R]) End(dst []byte, f Frame) []byte {
	if m.view.Plain {
		return dst
	}
	dst = append(dst, '\n')
	return AppendMarkdownLines(dst, f.Footer())
}

// AppendMarkdownLines appends lines as Markdown has them.
func AppendMarkdownLines(dst []byte, lines []Line) []byte {
	for _, line := range lines {
		dst = append(dst, Literal(line.Text)+"  \n"...)
	}
	return dst
}

var markdownEscapes = strings.NewReplacer(`\`, `\\`, `|`, `\|`, `*`, `\*`, `_`, `\_`, "`", "\\`", `[`, `\[`, `]`, `\]`, `<`, `\<`, `>`, `\>`, `~`, `\~`, `#`, `\#`, `&`, `\&`)

// Literal keeps text from being read as Markdown.
func Literal(text string) string { return markdownEscapes.Replace(text) }
