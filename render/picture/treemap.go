package picture

import (
	"fmt"
	"strings"

	"frankledger/core/chart"
	"frankledger/render/page"
	"frankledger/render/typeset"
)

// Cell is a part of a treemap.
type Cell struct {
	Label  string
	Amount string // how much it is
	About  string
	Link   string // where it leads; "" for nowhere
	Weight float64
	Parts  []*Cell // greatest first
	Rest   bool    // it stands for several things, or for what lies directly in something
}

// How a treemap is laid out.
const (
	cellHeader = 20
	cellMargin = 3
	cellLeast  = 4
	cellLabel  = 17 // what is lower than this has no label
)

// Treemap draws what something is made of, as areas: what it has in it, and what that has in
// it. It tells how many areas it drew.
func Treemap(title string, root *Cell, width, height float64, levels int) (*Picture, int) {
	p := &Picture{Width: width, Height: height, Title: title}
	t := &treemap{p, 0, map[*chart.Node]*Cell{}}
	node := t.node(root, levels)
	layout := chart.Layout{Header: cellHeader, Margin: cellMargin, Least: cellLeast, Depth: 1}
	// The whole has no frame of its own.
	weights := make([]float64, len(node.Parts))
	for i, part := range node.Parts {
		weights[i] = part.Weight
	}
	layout.Depth = levels - 1
	for i, r := range chart.Squarify(weights, chart.Rect{W: width, H: height}) {
		layout.Lay(node.Parts[i], r)
		t.draw(node.Parts[i], i, 0, weights[i] > nearlyAll*node.Weight)
	}
	if t.drawn == 0 {
		p.rect("x", 1, .5, .5, width-1, height-1)
		p.text("q m", width/2, height/2, strings.TrimSuffix("nothing to draw: "+root.Amount, ": "))
	}
	return p, t.drawn
}

type treemap struct {
	*Picture
	drawn int
	cells map[*chart.Node]*Cell
}

func (t *treemap) node(c *Cell, levels int) *chart.Node {
	n := &chart.Node{Weight: c.Weight}
	t.cells[n] = c
	if levels > 0 {
		for _, part := range c.Parts {
			n.Parts = append(n.Parts, t.node(part, levels-1))
		}
	}
	return n
}

// shades are how strong the colour is of parts, and of parts in them, which lie upon these: text
// stays readable on all of them.
var shades = []float64{.16, .12, .09, .05}

// nearlyAll is the part of the whole from which on a part stands for it: what is in it is then
// told apart by colours.
const nearlyAll = .75

func (t *treemap) draw(n *chart.Node, series, depth int, mostly bool) {
	if n.Hidden || n.Rect.W < cellLeast || n.Rect.H < cellLeast {
		return
	}
	t.drawn++
	c, r := t.cells[n], n.Rect.Inset(.5, .5, .5, .5)
	t.open(c.Link, c.About)
	opacity := shades[min(depth, len(shades)-1)]
	if c.Rest || mostly { // colours upon others mix
		opacity /= 3
	}
	t.rect(fmt.Sprintf("f%d", series%page.SeriesColours), opacity, r.X, r.Y, r.W, r.H)
	t.rect("o", 1, r.X, r.Y, r.W, r.H)
	const inset = 6
	room := r.W - 2*inset
	class := ""
	switch {
	case c.Rest:
		class = "i"
	case depth == 0:
		class = "b"
		room *= .88 // letters are wider
	}
	if r.H >= cellLabel {
		y := r.Y + min(15, r.H/2+4.5)
		label := c.Label
		parts := len(n.Parts) > 0 && !n.Parts[0].Hidden
		switch amount := widthOf(c.Amount) + 2*perCell; {
		case parts || r.H < 34: // what is in it begins below: both on one line
			if shown := fitting(label, room-amount); shown == label {
				t.text(class, r.X+inset, y, label)
				t.text("e", r.X+r.W-inset, y, c.Amount)
			} else if shown := fitting(label, room); shown != "" {
				t.text(class, r.X+inset, y, shown)
			}
		default:
			if shown := fitting(label, room); shown != "" {
				t.text(class, r.X+inset, y, shown)
				if amount := fitting(c.Amount, room); amount == c.Amount {
					t.text("", r.X+inset, y+16, amount)
				}
			}
		}
	}
	t.shut(c.Link)
	for i, part := range n.Parts {
		if mostly {
			t.draw(part, i, depth+1, part.Weight > nearlyAll*n.Weight)
		} else {
			t.draw(part, series, depth+1, false)
		}
	}
}

// A picture does not know the font that it will be shown in: widths are those of a usual font
// without serifs at 13 pixels, rather too wide than too narrow.
const perCell = 7.3 // of a cell of a terminal

// fewest is how many cells of a text that is cut say anything.
const fewest = 7

// widthOf is about how wide text is.
func widthOf(text string) float64 { return float64(typeset.Width(text)) * perCell }

// fitting is text, cut where there is no room for more; "" if so little is left that nobody can tell what it was.
func fitting(text string, room float64) string {
	if widthOf(text) <= room {
		return text
	}
	if room < fewest*perCell {
		return ""
	}
	return typeset.Truncate(text, int(room/perCell), "…")
}
