package render

import "frankledger/core/row"

// Palette gives words a colour as a second sign of what they say; nothing is
// told by colour alone. The zero Palette has none. The colours, of the
// terminal's 256, are of middle lightness and can be read on dark and on light
// grounds.
type Palette struct{ on bool }

// Colours is the palette of the project.
var Colours = Palette{on: true}

type ink string

const (
	plainInk   ink = ""
	headingInk ink = "1"
	quietInk   ink = "38;5;102" // stone: headings of columns, units, what is hidden
	folderInk  ink = "38;5;31"  // tarn: folders
	linkInk    ink = "38;5;133" // heather: links
	runInk     ink = "38;5;65"  // moss: files that can be run
	oddInk     ink = "38;5;130" // peat: pipes, sockets, devices
	alarmInk   ink = "38;5;167" // brick: what could not be read
)

// put appends text in an ink.
func (p Palette) put(dst []byte, text string, ink ink) []byte {
	if !p.on || ink == plainInk || text == "" {
		return append(dst, text...)
	}
	dst = append(dst, "\x1b["...)
	dst = append(dst, ink...)
	dst = append(dst, 'm')
	dst = append(dst, text...)
	return append(dst, "\x1b[0m"...)
}

// inks are those of what a name stands for.
var inks = [...]ink{row.Plain: plainInk, row.Folder: folderInk, row.Link: linkInk, row.Program: runInk, row.Special: oddInk}

func inkOf(look row.Look) ink { return inks[look] }
