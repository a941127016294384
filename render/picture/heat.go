package picture

import (
	"fmt"
	"math"
)

// Square is where a row and a column meet.
type Square struct {
	Text  string
	About string
	Share float64 // of the greatest, from 0 to 1
}

// The strongest that a square is coloured, so that what stands on it can be read.
const strongest = .45

// Heat draws a table whose squares are the stronger coloured the more they stand for.
func Heat(title string, rows, columns []string, squares [][]Square) *Picture {
	const each, most = 28.0, 30
	label := 0.0
	for _, r := range rows {
		label = max(label, widthOf(fitting(r, most*perCell)))
	}
	label += 10
	wide := 0.0
	for _, c := range columns {
		wide = max(wide, widthOf(fitting(c, most*perCell)))
	}
	for _, line := range squares {
		for _, s := range line {
			wide = max(wide, widthOf(s.Text))
		}
	}
	wide += 14
	p := &Picture{Width: label + wide*float64(len(columns)), Height: each * float64(len(rows)+1), Title: title}
	for i, c := range columns {
		p.text("q m", label+wide*(float64(i)+.5), 18, fitting(c, most*perCell))
	}
	for i, r := range rows {
		y := each * float64(i+1)
		p.text("", 0, y+18, fitting(r, most*perCell))
		for j := range columns {
			s := squares[i][j]
			x := label + wide*float64(j)
			p.open("", s.About)
			if s.Share > 0 {
				p.rect("f0", strongest*math.Max(.08, math.Sqrt(min(1, s.Share))), x+1, y+1, wide-2, each-2)
			}
			p.body = fmt.Appendf(p.body, `<rect class="g" x="%s" y="%s" width="%s" height="%s"/>`, number(x+1), number(y+1), number(wide-2), number(each-2))
			p.text("m", x+wide/2, y+18, s.Text)
			p.shut("")
		}
	}
	return p
}
