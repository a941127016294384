package render

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/text"
	"frankledger/render/page"
	"frankledger/render/style"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// MostOnPage is how many rows a page has at most: of more, browsers take long to lay them out.
const MostOnPage = 50_000

// mostTold is how many problems a page tells one by one.
const mostTold = 1000

// rowsInGroup is how many rows stand together: a browser lays out only the groups that it shows.
const rowsInGroup = 200

// html writes a page for a browser, complete in itself: what was looked at and what there was,
// then the rows as a table that sorts and filters, and what could not be read. Without its
// script it is the same table.
type html[R any] struct {
	view    *View
	columns []row.Column[R]
	path    *row.Column[R] // to be copied; nil for none
	page    *page.Page
	within  string // which table of the page, as a selector of styles; "" for the only one
	closed  bool   // the table is ended
	widths  []int  // of the columns, in characters
	base    string // what the full path of a row mostly is, before its name
}

func newHTML[R any](v *View, all, columns []row.Column[R]) *html[R] {
	h := &html[R]{view: v, columns: columns, path: row.Named(all, "full_path"), page: &page.Page{}, widths: make([]int, len(columns))}
	if h.path == nil {
		h.path = row.Named(all, "path")
	}
	return h
}

// AppendTable appends a table of rows to a page that has other things as well, under a name of
// its own. Its style is added to that of the page.
func AppendTable[R any](dst []byte, p *page.Page, v *View, name string, columns []row.Column[R], rows row.Source[R]) []byte {
	h := newHTML(v, columns, row.Choose(columns, HTML.Reader))
	h.page, h.within = p, "."+name+" "
	for i := range rows.Len() {
		h.Measure(rows.At(i))
	}
	p.Style += h.layout()
	dst = h.head(append(append(append(dst, `<table class="`...), name...), "\">\n"...))
	for i := range rows.Len() {
		dst = h.Row(dst, rows.At(i))
	}
	return append(dst, "</tbody></table>\n"...)
}

// Measure implements Measurer.
func (h *html[R]) Measure(r R) {
	for i := range h.columns {
		left, right := Cell(h.view, &h.columns[i], r)
		h.widths[i] = max(h.widths[i], typeset.Width(left)+typeset.Width(right)+1, typeset.Width(h.columns[i].Words(r)))
	}
}

// Fresh implements Measurer.
func (h *html[R]) Fresh() Measurer[R] {
	return &html[R]{view: h.view, columns: h.columns, widths: make([]int, len(h.columns))}
}

// Join implements Measurer.
func (h *html[R]) Join(fresh Measurer[R]) {
	for i, width := range fresh.(*html[R]).widths {
		h.widths[i] = max(h.widths[i], width)
	}
}

// layout returns the widths of the columns, as a style has them.
func (h *html[R]) layout() string {
	const widest, narrowest, sign = 110, 20, 2 // sign of the order
	text := h.within + "tr{grid-template-columns:"
	for i := range h.columns {
		width := max(h.widths[i], typeset.Width(h.columns[i].Name)+sign)
		switch {
		case h.columns[i].Type == row.Bar:
			text += " 9rem"
		case i == 0 || width > narrowest && h.columns[i].Type == row.Text:
			text += fmt.Sprintf(" minmax(min(%dch,12rem),%dch)", width+2, min(width, widest)+2)
		default:
			text += fmt.Sprintf(" calc(%dch + 1.3rem)", width)
		}
	}
	text += "}\n"
	for i := range h.columns[1:] { // where the columns stand one under the other
		text += fmt.Sprintf("@media (max-width:44rem){%stbody td:nth-child(%d)::before{content:%q;color:var(--quiet)}}\n", h.within, i+2, h.columns[i+1].Name+" ")
	}
	return text
}

// Each and NextGroup implement grouped.
func (h *html[R]) Each() int { return rowsInGroup }

func (h *html[R]) NextGroup(dst []byte) []byte { return append(dst, "<tbody>\n"...) }

// Most implements limited.
func (h *html[R]) Most() int { return MostOnPage }

// Made says when, and on which machine, a page or a picture was made.
func (v *View) Made() string {
	text := "as of " + v.Context.AsOf.In(v.Zone).Format("2006-01-02 15:04 -07:00")
	if v.Machine != "" {
		text += ", on " + typeset.Escaped(v.Machine)
	}
	return text
}

// BeginPage appends a page up to where rows begin: what was looked at, and what there was.
func BeginPage(dst []byte, v *View, p *page.Page, f Frame) []byte {
	heading := f.Heading()
	p.Title = "Frank Ledger"
	if len(heading) > 0 {
		p.Title = heading[0].Text + " – " + p.Title
	}
	if v.Subject != "" {
		p.Title = v.Subject + ": " + p.Title
	}
	dst = p.Begin(dst)
	dst = append(dst, "<header>\n"...)
	if v.Subject != "" {
		dst = page.AppendElement(dst, "p", "subject", v.Subject)
	}
	for i, line := range heading {
		element, class := "p", ClassOf(line.Style)
		if i == 0 {
			element, class = "h1", ""
		}
		dst = page.AppendElement(dst, element, class, line.Text)
	}
	dst = page.AppendElement(dst, "p", "quiet", v.Made())
	dst = append(dst, "</header>\n<main>\n<div class=\"said\">\n"...)
	for _, line := range f.Footer() {
		dst = page.AppendElement(dst, "p", ClassOf(line.Style), line.Text)
	}
	return append(dst, "</div>\n"...)
}

// EndPage appends what could not be read, and the end of a page.
func EndPage(dst []byte, p *page.Page, f Frame) []byte {
	if problems := f.Problems(); len(problems) > 0 {
		dst = append(dst, "<section id=\"problems\">\n<h2>What could not be read</h2>\n<ul class=\"problems\">\n"...)
		for i, text := range problems {
			if i == mostTold {
				text = "and " + units.Count(int64(len(problems)-i), "place", "places") + " more"
			}
			dst = page.AppendElement(dst, "li", "", text)
			if i == mostTold {
				break
			}
		}
		dst = append(dst, "</ul>\n</section>\n"...)
	}
	dst = append(dst, "</main>\n<div class=\"exact\" role=\"status\"></div>\n"...)
	return p.End(dst)
}

func (h *html[R]) Begin(dst []byte, f Frame) []byte {
	h.page.Style += h.layout()
	dst = BeginPage(dst, h.view, h.page, f)
	dst = append(dst, "<div class=\"tools\" hidden><label>Filter <input type=\"search\" autocomplete=\"off\" spellcheck=\"false\"></label><output></output>"+
		"<span>several words, in any order; arrow keys go through the rows"...)
	if _, entries := any(*new(R)).(*entry.Entry); entries || h.path != nil {
		dst = append(dst, ", c copies the path"...)
	}
	dst = append(dst, "</span></div>\n<table class=\"rows\" data-base=\""...)
	if h.base = f.Base(); h.base != "" && copied(h.base) == h.base {
		dst = page.AppendText(dst, h.base)
	}
	return h.head(append(dst, "\">\n"...))
}

// head appends the names of the columns, up to the first row.
func (h *html[R]) head(dst []byte) []byte {
	dst = append(dst, "<thead><tr>"...)
	for i := range h.columns {
		c := &h.columns[i]
		kind, class, unit := "text", "", ""
		switch {
		case c.Type.IsNumber():
			kind, class = "number", ` class="n"`
		case c.Type == row.Bar:
			kind = "number"
		case c.Type == row.Time:
			kind = "time"
		}
		if c.Type == row.Bytes || c.Type == row.MoreBytes {
			unit = ` data-u="bytes"`
		}
		dst = append(dst, `<th scope="col" data-t="`+kind+`"`+class+unit+`><span>`...)
		dst = append(page.AppendText(dst, c.Name), "</span></th>"...)
	}
	return append(dst, "</tr></thead>\n<tbody>\n"...)
}

// ClassOf returns the class of text in a style.
func ClassOf(s style.Style) string {
	switch s {
	case style.Quiet:
		return "quiet"
	case style.Alarm:
		return "alarm"
	case style.Folder:
		return "f"
	case style.Link:
		return "l"
	case style.Program:
		return "p"
	case style.Special:
		return "o"
	}
	return ""
}

func (h *html[R]) Row(dst []byte, r R) []byte {
	dst = append(dst, "<tr"...)
	if h.columns[0].IsTotal(r) {
		dst = append(dst, ` class="t"`...)
	}
	if path, ok := h.pathOf(r); ok {
		name, _ := h.columns[0].Text(r)
		if rest, below := strings.CutPrefix(path, h.base); !below || h.base == "" || rest != name || typeset.Strange(name) {
			dst = append(page.AppendText(append(dst, ` data-p="`...), copied(path)), '"')
		}
	}
	dst = append(dst, '>')
	for i := range h.columns {
		dst = h.cell(dst, &h.columns[i], r)
	}
	return append(dst, '\n')
}

// pathOf returns the full path of a row, if it has one.
func (h *html[R]) pathOf(r R) (string, bool) {
	if e, is := any(r).(*entry.Entry); is {
		return e.FullPath(), true
	}
	if h.path == nil {
		return "", false
	}
	return h.path.Text(r)
}

// cell appends a cell; its end tag may be left out.
func (h *html[R]) cell(dst []byte, c *row.Column[R], r R) []byte {
	left, right := Cell(h.view, c, r)
	class, exact := "", ""
	absent := right == Absent || left == "" && right == ""
	words := ""
	if right == Absent {
		if words = c.Words(r); words != "" {
			right = words
		}
	}
	switch {
	case c.Type.IsNumber():
		class = "n"
	case c.Type == row.Bar:
		class = "b"
	default:
		class = ClassOf(style.Of(c.Look(r)))
	}
	if !absent {
		switch {
		case c.Type.IsNumber() || c.Type == row.Bar:
			if n, ok := c.Number(r); ok {
				exact = strconv.FormatInt(n, 10)
				if c.Type == row.Number || c.Type == row.Count {
					exact = strconv.FormatUint(uint64(n), 10)
				}
			}
		case c.Type == row.Time:
			if t, ok := c.Moment(r); ok {
				exact = strings.Replace(string(t.AppendRFC3339(nil)), ".000000000Z", "Z", 1)
			}
		}
	}
	if absent && words == "" {
		class = strings.TrimSpace(class + " e")
	}
	dst = append(dst, "<td"...)
	if class != "" {
		dst = append(append(append(dst, ` class="`...), class...), '"')
	}
	if exact != "" {
		dst = append(append(append(dst, ` data-v="`...), exact...), '"')
	}
	dst = append(dst, '>')
	if share, ok := shareOf(c, r); ok {
		return fmt.Appendf(dst, `<svg width="120" height="10" aria-hidden="true"><rect width="%.1f" height="10" rx="1"/></svg>`, 120*share)
	}
	if left != "" {
		dst = page.AppendText(dst, left)
		if right != "" {
			dst = append(dst, ' ')
		}
	}
	return page.AppendText(dst, right)
}

// shareOf returns the share that a bar stands for.
func shareOf[R any](c *row.Column[R], r R) (share float64, ok bool) {
	if c.Type != row.Bar {
		return 0, false
	}
	n, ok := c.Number(r)
	return float64(n) / 1e6, ok
}

// copied returns a path as it is copied: as it is if it is text, and else as a shell takes it
// in quotes ($'…', as POSIX has it since 2024).
func copied(path string) string {
	plain := utf8.ValidString(path)
	for _, r := range path {
		plain = plain && text.IsPrintable(r)
	}
	if plain {
		return path
	}
	quoted := []byte("$'")
	for i := range len(path) {
		switch c := path[i]; {
		case c == '\\' || c == '\'':
			quoted = append(quoted, '\\', c)
		case c < ' ' || c >= 0x7f:
			quoted = fmt.Appendf(quoted, `\%03o`, c)
		default:
			quoted = append(quoted, c)
		}
	}
	return string(append(quoted, '\''))
}

// Left tells of the rows that the page does not have.
func (h *html[R]) Left(dst []byte, list row.Source[R], from int) []byte {
	text := "and " + units.Count(int64(list.Len()-from), "more row", "more rows") + " not on this page"
	for i := range h.columns {
		if c := &h.columns[i]; c.Type == row.Bytes {
			sum, known := int64(0), false
			for at := from; at < list.Len(); at++ {
				if n, ok := c.Number(list.At(at)); ok {
					sum, known = sum+n, true
				}
			}
			if known {
				text += " (" + c.Name + " " + h.view.Units.SizeText(sum) + " in all)"
			}
			break
		}
	}
	h.closed = true
	return page.AppendElement(append(dst, "</tbody></table>\n"...), "p", "alarm", text+`; narrow it with a condition, or use --as csv`)
}

func (h *html[R]) End(dst []byte, f Frame) []byte {
	if !h.closed {
		dst = append(dst, "</tbody></table>\n"...)
	}
	return EndPage(dst, h.page, f)
}
