package chart

// Squarify lays weights out as rectangles that fill one, each with an area in proportion to its
// weight, and as nearly square as can be: after Bruls, Huizing and van Wijk, "Squarified
// Treemaps" (2000). The weights are given greatest first, as the method wants them; one of
// nothing or less has no area. If all together weigh nothing, no rectangle has.
func Squarify(weights []float64, in Rect) []Rect {
	rects := make([]Rect, len(weights))
	total := 0.0
	for _, w := range weights {
		total += max(0, w)
	}
	for i := range rects {
		rects[i] = Rect{X: in.X, Y: in.Y}
	}
	if total <= 0 || in.W <= 0 || in.H <= 0 {
		return rects
	}
	scale := in.Area() / total
	for first := 0; first < len(weights); {
		// A row along the shorter side takes weights for as long as that makes the worst of
		// them no longer and thinner.
		side := min(in.W, in.H)
		row, last := 0.0, first
		for last < len(weights) {
			area := max(0, weights[last]) * scale
			if last > first && worst(weights[first:last+1], scale, row+area, side) > worst(weights[first:last], scale, row, side) {
				break
			}
			row += area
			last++
		}
		across := min(row/side, max(in.W, in.H)) // how far the row reaches into the rest
		if last == len(weights) {
			across = max(in.W, in.H)
		}
		at := 0.0
		for i := first; i < last; i++ {
			length := 0.0
			if row > 0 {
				length = side * max(0, weights[i]) * scale / row
			}
			if in.W >= in.H { // the row stands on the left
				rects[i] = Rect{in.X, in.Y + at, across, length}
			} else {
				rects[i] = Rect{in.X + at, in.Y, length, across}
			}
			if weights[i] <= 0 {
				rects[i].W, rects[i].H = 0, 0
			}
			at += length
		}
		if in.W >= in.H {
			in.X, in.W = in.X+across, max(0, in.W-across)
		} else {
			in.Y, in.H = in.Y+across, max(0, in.H-across)
		}
		first = last
	}
	return rects
}

// worst returns how much longer than wide the worst of a row of areas is.
func worst(weights []float64, scale, row, side float64) float64 {
	greatest, least := 0.0, 0.0
	for _, w := range weights {
		if w <= 0 {
			continue
		}
		area := w * scale
		greatest = max(greatest, area)
		if least == 0 || area < least {
			least = area
		}
	}
	if least == 0 || row == 0 {
		return 0
	}
	return max(side*side*greatest/(row*row), row*row/(side*side*least))
}

// Node is something with a weight, and parts that may have some of it.
type Node struct {
	Weight float64
	Parts  []*Node // greatest first
	Rect   Rect    // where Lay has put it
	Hidden bool    // it was too small to be put anywhere
}

// Layout says how parts are put into the whole.
type Layout struct {
	Header float64 // height that is kept free above the parts
	Margin float64 // on all sides of them
	Least  float64 // what is narrower or lower than this is hidden, with its parts
	Depth  int     // how many levels of parts to put; 0 for none
}

// Lay puts a node into a rectangle, and its parts into that.
func (l Layout) Lay(n *Node, in Rect) {
	n.Rect = in
	n.Hidden = in.W < l.Least || in.H < l.Least
	inside := in.Inset(l.Margin, l.Margin+l.Header, l.Margin, l.Margin)
	if n.Hidden || l.Depth == 0 || inside.W < l.Least || inside.H < l.Least {
		hide(n.Parts)
		return
	}
	weights := make([]float64, len(n.Parts))
	sum := 0.0
	for i, p := range n.Parts {
		weights[i] = max(0, p.Weight)
		sum += weights[i]
	}
	if rest := n.Weight - sum; rest > 0 { // what no part has
		weights = append(weights, rest)
	}
	below := l
	below.Depth--
	for i, r := range Squarify(weights, inside) {
		if i < len(n.Parts) {
			below.Lay(n.Parts[i], r)
		}
	}
}

func hide(parts []*Node) {
	for _, p := range parts {
		p.Rect, p.Hidden = Rect{}, true
		hide(p.Parts)
	}
}
