package main

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// taking are runs that take about so long, give or take two per cent.
func taking(mean float64, random *rand.Rand) (all []usage) {
	for range 10 {
		all = append(all, usage{cpu: time.Duration(mean * (1 + 0.02*(2*random.Float64()-1)) * 1e9)})
	}
	return all
}

// What is slower for sure is told; what may be chance is not.
func TestHold(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(1, 2))
	for _, c := range []struct {
		name       string
		then, now  float64
		worse      float64
		worseThere bool
	}{{"as before", 1, 1, 1, false}, {"a tenth slower", 1, 1.1, 1, true}, {"faster", 1, 0.8, 1, false}, {"a tenth slower, which may be", 1, 1.1, 15, false}} {
		t.Run(c.name, func(t *testing.T) {
			against := &comparison{what: "before", program: "frank-then", worse: c.worse}
			text := against.hold(c.name, figures{}, taking(c.now, random), taking(c.then, random))
			assert.Contains(t, text, "of before (")
			assert.Equal(t, c.worseThere, len(against.faults) > 0, text)
		})
	}
	from := &comparison{what: "file", worse: 1, file: &saved{Cases: map[string]figures{"x": {CPURatios: []float64{1, 1.01, 0.99, 1, 1.02, 1}}}}}
	assert.Contains(t, from.hold("x", figures{CPURatios: []float64{2, 2.01, 1.99, 2, 2.02, 2}}, nil, nil), ": worse")
	assert.Empty(t, from.hold("y", figures{CPURatios: []float64{2}}, nil, nil), "the file has it not")
}
