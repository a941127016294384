package picture

import (
	"fmt"

	"frankledger/render/page"
)

// Bar is one of several amounts.
type Bar struct {
	Label, Amount string
	About         string
	Link          string
	Share         float64 // of the greatest, from 0 to 1
	Series        int     // which colour
	Rest          bool    // it stands for several things
}

// Bars draws amounts as bars, one below the other: above each what it is, and how much.
func Bars(title string, bars []Bar, width float64) *Picture {
	const each, thick, top = 36, 10, 4
	p := &Picture{Width: width, Height: top + each*float64(max(1, len(bars))), Title: title}
	if len(bars) == 0 {
		p.text("q", 0, 16, "nothing to show")
	}
	for i, b := range bars {
		y := top + each*float64(i)
		p.open(b.Link, b.About)
		class := ""
		if b.Rest {
			class = "q"
		}
		amount := widthOf(b.Amount)
		p.text(class, 0, y+13, fitting(b.Label, width-amount-2*perCell))
		p.text("e", width, y+13, b.Amount)
		p.rect("x", 1, .5, y+18.5, width-1, thick-1)
		if b.Share > 0 {
			p.rect(fmt.Sprintf("f%d", b.Series%page.SeriesColours), 1, 0, y+18, max(1, width*min(1, b.Share)), thick)
		}
		p.shut(b.Link)
	}
	return p
}
