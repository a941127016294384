package chart

import "slices"

// Spread moves positions apart that are nearer to each other than a gap, as little as can be,
// and keeps them between two bounds if there is room. Their order stays.
func Spread(at []float64, gap, least, most float64) []float64 {
	order := make([]int, len(at))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch {
		case at[a] < at[b]:
			return -1
		case at[a] > at[b]:
			return 1
		}
		return 0
	})
	// Those that meet stand together, around the middle of where they would be.
	type cluster struct {
		from, to int // in order
		sum      float64
	}
	start := func(c cluster) float64 {
		n := float64(c.to - c.from)
		middle := c.sum / n
		return max(least, min(middle-(n-1)*gap/2, most-(n-1)*gap))
	}
	var clusters []cluster
	for i, index := range order {
		clusters = append(clusters, cluster{i, i + 1, at[index]})
		for len(clusters) > 1 {
			a, b := clusters[len(clusters)-2], clusters[len(clusters)-1]
			if start(a)+float64(a.to-a.from)*gap <= start(b)+1e-9 {
				break
			}
			clusters = append(clusters[:len(clusters)-2], cluster{a.from, b.to, a.sum + b.sum})
		}
	}
	spread := make([]float64, len(at))
	for _, c := range clusters {
		for i := c.from; i < c.to; i++ {
			spread[order[i]] = start(c) + float64(i-c.from)*gap
		}
	}
	return spread
}
