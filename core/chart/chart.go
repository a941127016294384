// Package chart lays numbers out in the plane: rectangles of a treemap, places along an axis,
// and the ticks beside it. Lengths are in whatever unit the caller has; y grows downwards, as
// on a page.
package chart

// Rect is a rectangle: its left upper corner, width and height.
type Rect struct{ X, Y, W, H float64 }

// Area returns its area.
func (r Rect) Area() float64 { return r.W * r.H }

// Inset returns the rectangle without a margin on each side, of no less than nothing.
func (r Rect) Inset(left, top, right, bottom float64) Rect {
	return Rect{r.X + min(left, r.W), r.Y + min(top, r.H), max(0, r.W-left-right), max(0, r.H-top-bottom)}
}
