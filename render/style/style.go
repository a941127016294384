// Package style has the colours of the project, and how text is shown in them.
package style

import "frankledger/core/row"

// Palette gives words a colour as a second sign of what they say; nothing is
// shown by colour alone. The zero Palette has none. The colours, of the
// terminal's 256, are of middle lightness and can be read on dark and on light
// grounds; grey and brick have a contrast of 4.5 to 1 and more on white and on black.
type Palette struct{ on bool }

// Colours is the palette of the project.
var Colours = Palette{on: true}

// Style is how text is shown, as terminals have it.
type Style string

const (
	Plain   Style = ""
	Heading Style = "1"
	Quiet   Style = "38;5;243" // stone: headings of columns, units, what is hidden
	Folder  Style = "38;5;31"  // tarn: folders
	Link    Style = "38;5;133" // heather: links
	Program Style = "38;5;65"  // moss: files that can be run
	Special Style = "38;5;130" // peat: pipes, sockets, devices
	Alarm   Style = "38;5;131" // brick: what could not be read, is refused, missing or different, or goes for good
)

// Put appends text in a style.
func (p Palette) Put(dst []byte, text string, style Style) []byte { return Put(p, dst, text, style) }

// Put appends text, of either type, in a style of a palette. Where there is no colour, it
// appends the text as it is.
func Put[T string | []byte](p Palette, dst []byte, text T, style Style) []byte {
	if !p.on || style == Plain || len(text) == 0 {
		return append(dst, text...)
	}
	dst = append(dst, "\x1b["...)
	dst = append(dst, style...)
	dst = append(dst, 'm')
	dst = append(dst, text...)
	return append(dst, "\x1b[0m"...)
}

// styles are those of what names stand for.
var styles = [...]Style{row.Plain: Plain, row.Folder: Folder, row.Link: Link, row.Program: Program, row.Special: Special, row.Warning: Alarm}

// Of returns the style of what a name stands for.
func Of(look row.Look) Style { return styles[look] }
