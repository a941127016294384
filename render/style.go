package render

import (
	"frankledger/core/row"
)

// Palette gives words a colour as a second sign of what they say; nothing is
// told by colour alone. The zero Palette has none. The colours, of the
// terminal's 256, are of middle lightness and can be read on dark and on light
// grounds.
type Palette struct{ on bool }

// Colours is the palette of the project.
var Colours = Palette{on: true}

// Style is how text is shown, as terminals have it.
type Style string

const (
	PlainStyle   Style = ""
	HeadingStyle Style = "1"
	QuietStyle   Style = "38;5;102" // stone: headings of columns, units, what is hidden
	FolderStyle  Style = "38;5;31"  // tarn: folders
	LinkStyle    Style = "38;5;133" // heather: links
	RunStyle     Style = "38;5;65"  // moss: files that can be run
	OddStyle     Style = "38;5;130" // peat: pipes, sockets, devices
	AlarmStyle   Style = "38;5;167" // brick: what could not be read
)

// Put appends text in a style.
func (p Palette) Put(dst []byte, text string, style Style) []byte { return put(p, dst, text, style) }

func put[T string | []byte](p Palette, dst []byte, text T, style Style) []byte {
	if !p.on || style == PlainStyle || len(text) == 0 {
		return append(dst, text...)
	}
	dst = append(dst, "\x1b["...)
	dst = append(dst, style...)
	dst = append(dst, 'm')
	dst = append(dst, text...)
	return append(dst, "\x1b[0m"...)
}

// styles are those of what a name stands for.
var styles = [...]Style{row.Plain: PlainStyle, row.Folder: FolderStyle, row.Link: LinkStyle, row.Program: RunStyle, row.Special: OddStyle}

// StyleOf returns the style of what a name stands for.
func StyleOf(look row.Look) Style { return styles[look] }
