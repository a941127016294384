package chart_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/chart"
)

// The rectangles of a treemap have areas in proportion, lie in the one they fill, and do not
// cover one another.
func TestSquarify(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 1))
	for range 500 {
		in := chart.Rect{X: random.Float64() * 50, Y: random.Float64() * 50, W: 1 + random.Float64()*2000, H: 1 + random.Float64()*2000}
		weights := make([]float64, random.IntN(60))
		total := 0.0
		for i := range weights {
			weights[i] = math.Floor(math.Pow(random.Float64(), 6) * 1e9) // many are nothing
			total += weights[i]
		}
		slices.SortFunc(weights, func(a, b float64) int { return int(b - a) })
		rects := chart.Squarify(weights, in)
		require.Len(t, rects, len(weights))
		const near = 1e-6
		area := 0.0
		for i, r := range rects {
			area += r.Area()
			if total > 0 {
				require.InDelta(t, weights[i]/total*in.Area(), r.Area(), in.Area()*near)
			}
			require.True(t, r.X >= in.X-near && r.Y >= in.Y-near && r.X+r.W <= in.X+in.W+near && r.Y+r.H <= in.Y+in.H+near, "%v in %v", r, in)
			for _, other := range rects[:i] {
				across := min(r.X+r.W, other.X+other.W) - max(r.X, other.X)
				down := min(r.Y+r.H, other.Y+other.H) - max(r.Y, other.Y)
				require.False(t, across > near*in.W && down > near*in.H, "%v and %v overlap", r, other)
			}
		}
		if total > 0 {
			require.InDelta(t, in.Area(), area, in.Area()*near)
		}
	}
	assert.Equal(t, []chart.Rect{{}, {}}, chart.Squarify([]float64{0, 0}, chart.Rect{W: 10, H: 10}))
	assert.Equal(t, []chart.Rect{{X: 1, Y: 2, W: 3, H: 4}}, chart.Squarify([]float64{math.MaxInt64}, chart.Rect{X: 1, Y: 2, W: 3, H: 4}))
}

// The example of the paper: 6, 6, 4, 3, 2, 2, 1 in a rectangle of 6 by 4.
func TestSquarifyAsPublished(t *testing.T) {
	rects := chart.Squarify([]float64{6, 6, 4, 3, 2, 2, 1}, chart.Rect{W: 6, H: 4})
	assert.InDeltaSlice(t, []float64{0, 0, 3, 2}, []float64{rects[0].X, rects[0].Y, rects[0].W, rects[0].H}, 1e-9)
	assert.InDeltaSlice(t, []float64{0, 2, 3, 2}, []float64{rects[1].X, rects[1].Y, rects[1].W, rects[1].H}, 1e-9)
	assert.InDeltaSlice(t, []float64{3, 0, 12.0 / 7, 7.0 / 3}, []float64{rects[2].X, rects[2].Y, rects[2].W, rects[2].H}, 1e-9)
}

// Parts lie in what they are of; what is too small is hidden with all its parts.
func TestLay(t *testing.T) {
	leaf := func(w float64) *chart.Node { return &chart.Node{Weight: w} }
	root := &chart.Node{Weight: 100, Parts: []*chart.Node{{Weight: 60, Parts: []*chart.Node{leaf(50), leaf(10)}}, leaf(20), {Weight: 0.001, Parts: []*chart.Node{leaf(0.001)}}}}
	chart.Layout{Header: 10, Margin: 2, Least: 4, Depth: 2}.Lay(root, chart.Rect{W: 400, H: 300})
	var check func(n *chart.Node)
	check = func(n *chart.Node) {
		for _, p := range n.Parts {
			if n.Hidden {
				assert.True(t, p.Hidden)
			}
			if !p.Hidden {
				assert.True(t, p.Rect.X >= n.Rect.X+2 && p.Rect.Y >= n.Rect.Y+12 && p.Rect.X+p.Rect.W <= n.Rect.X+n.Rect.W-2+1e-9 && p.Rect.Y+p.Rect.H <= n.Rect.Y+n.Rect.H-2+1e-9)
			}
			check(p)
		}
	}
	check(root)
	assert.False(t, root.Parts[0].Parts[1].Hidden)
	assert.True(t, root.Parts[2].Hidden)
	assert.InDelta(t, 3, root.Parts[0].Rect.Area()/root.Parts[1].Rect.Area(), 1e-9)
	assert.InDelta(t, 0.2*396*286, root.Parts[1].Rect.Area(), 1e-6, "what no part has takes its room")
}

func TestTicks(t *testing.T) {
	for _, c := range []struct {
		most  float64
		about int
		steps chart.Steps
		want  []float64
	}{
		{100, 4, chart.Decimal, []float64{0, 50, 100}},
		{97, 5, chart.Decimal, []float64{0, 20, 40, 60, 80, 100}},
		{0.3, 3, chart.Decimal, []float64{0, 0.1, 0.2, 0.30000000000000004}},
		{3, 10, chart.Whole, []float64{0, 1, 2, 3}},
		{5 << 20, 4, chart.Binary, []float64{0, 2 << 20, 4 << 20, 6 << 20}},
		{1 << 30, 4, chart.Binary, []float64{0, 1 << 28, 1 << 29, 3 << 28, 1 << 30}},
		{0, 4, chart.Whole, []float64{0, 1}},
		{math.NaN(), 4, chart.Whole, []float64{0, 1}},
		{math.Inf(1), 4, chart.Whole, []float64{0, 1}},
	} {
		assert.InDeltaSlice(t, c.want, chart.Ticks(c.most, c.about, c.steps), 1e-9, "%v", c.most)
	}
	for _, most := range []float64{1, 7, 1023, math.MaxInt64, 1e-9} {
		for _, steps := range []chart.Steps{chart.Decimal, chart.Binary, chart.Whole} {
			ticks := chart.Ticks(most, 5, steps)
			assert.LessOrEqual(t, len(ticks), 8)
			assert.GreaterOrEqual(t, ticks[len(ticks)-1], most)
		}
	}
}

func TestDates(t *testing.T) {
	at := func(text string) time.Time {
		moment, err := time.Parse("2006-01-02 15:04", text)
		require.NoError(t, err)
		return moment
	}
	for _, c := range []struct{ from, to, first, second, layout string }{
		{"2026-11-01 10:20", "2026-11-01 18:00", "2026-11-01 12:00", "2026-11-01 14:00", "01-02 15:04"},
		{"2026-11-01 10:20", "2026-11-08 18:00", "2026-11-03 00:00", "2026-11-05 00:00", "2006-01-02"},
		{"2026-11-01 10:20", "2026-12-08 18:00", "2026-11-09 00:00", "2026-11-23 00:00", "2006-01-02"},
		{"2026-01-15 00:00", "2026-06-08 00:00", "2026-02-01 00:00", "2026-03-01 00:00", "2006-01"},
		{"2025-01-15 00:00", "2026-06-08 00:00", "2025-07-01 00:00", "2026-01-01 00:00", "2006-01"},
		{"1990-01-15 00:00", "2026-06-08 00:00", "1998-01-01 00:00", "2006-01-01 00:00", "2006"},
	} {
		ticks, layout := chart.Dates(at(c.from), at(c.to), 5)
		require.Greater(t, len(ticks), 1, c.from)
		assert.LessOrEqual(t, len(ticks), 9)
		assert.Equal(t, []string{c.first, c.second, c.layout}, []string{ticks[0].Format("2006-01-02 15:04"), ticks[1].Format("2006-01-02 15:04"), layout})
	}
	assert.InDelta(t, 75, chart.Axis{Min: 0, Max: 4, From: 100, To: 50}.At(2), 1e-9)
	assert.InDelta(t, 100, chart.Axis{From: 100, To: 50}.At(2), 1e-9)
}

// What is spread apart keeps its order and its bounds, stands apart, and is not moved without need.
func TestSpread(t *testing.T) {
	random := rand.New(rand.NewPCG(rand.Uint64(), 3))
	for range 500 {
		at := make([]float64, random.IntN(12))
		for i := range at {
			at[i] = math.Floor(random.Float64()*20) * 10
		}
		const gap, least, most = 13, 0, 200
		spread := chart.Spread(at, gap, least, most)
		for i := range at {
			require.True(t, spread[i] >= least-1e-9 && spread[i] <= most+1e-9)
			alone := at[i] >= least && at[i] <= most
			for j := range at {
				if i != j {
					require.GreaterOrEqual(t, math.Abs(spread[i]-spread[j]), gap-1e-6)
					if at[i] < at[j] {
						require.Less(t, spread[i], spread[j])
					}
					alone = alone && math.Abs(at[i]-at[j]) > gap*float64(len(at))
				}
			}
			if alone {
				require.InDelta(t, at[i], spread[i], 1e-9)
			}
		}
	}
}
