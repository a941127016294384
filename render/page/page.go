// Package page has what every page for a browser begins and ends with: a document that is
// complete in itself. Its policy lets nothing be loaded from anywhere, and no script run but
// the one that it has.
package page

import (
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"html"
)

//go:embed page.css
var style string

// ReportStyle is the style of a report, beside that of all pages.
//
//go:embed report.css
var ReportStyle string

//go:embed page.js
var script string

// Page is a page.
type Page struct {
	Title string
	Style string // beside that of all pages
}

// Begin appends the document up to the beginning of its body.
func (p *Page) Begin(dst []byte) []byte {
	css := variables() + style + p.Style
	dst = append(dst, `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src data:; style-src '`+digest(css)+`'; script-src '`+digest(script)+`'; base-uri 'none'; form-action 'none'">
<meta name="viewport" content="width=device-width">
<meta name="generator" content="Frank Ledger">
<link rel="icon" href="data:,">
<title>`...)
	dst = AppendText(dst, p.Title)
	return append(dst, "</title>\n<style>"+css+"</style>\n</head>\n<body>\n"...)
}

// End appends the end of the document, with the script.
func (p *Page) End(dst []byte) []byte {
	return append(dst, "<script>"+script+"</script>\n</body>\n</html>\n"...)
}

// digest returns the hash by which a policy (W3C, Content Security Policy Level 3) knows what
// stands in the page itself.
func digest(text string) string {
	sum := sha256.Sum256([]byte(text))
	return "sha256-" + base64.StdEncoding.EncodeToString(sum[:])
}

// AppendText appends text so that it is text, within an element or an attribute in quotes.
func AppendText[T string | []byte](dst []byte, text T) []byte {
	if i := indexAny(text); i >= 0 {
		return append(dst, html.EscapeString(string(text))...)
	}
	return append(dst, text...)
}

func indexAny[T string | []byte](text T) int {
	for i := range len(text) {
		switch text[i] {
		case '&', '<', '>', '"', '\'':
			return i
		}
	}
	return -1
}

// AppendElement appends an element with text in it, of a class if one is given.
func AppendElement(dst []byte, name, class, text string) []byte {
	dst = append(append(dst, '<'), name...)
	if class != "" {
		dst = append(append(append(dst, ` class="`...), class...), '"')
	}
	dst = AppendText(append(dst, '>'), text)
	return append(append(append(dst, "</"...), name...), ">\n"...)
}

// AppendSpan appends text, in an element of a class if one is given.
func AppendSpan(dst []byte, class, text string) []byte {
	if class == "" {
		return AppendText(dst, text)
	}
	dst = append(append(append(dst, `<span class="`...), class...), `">`...)
	return append(AppendText(dst, text), "</span>"...)
}
