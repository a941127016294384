package duplicates

import (
	"slices"

	"frankledger/core/digest"
)

// stretches are parts of a disk, in order, none of which touches another.
type stretches []digest.Extent

// add adds a part, and returns how many bytes of it were not among them.
func (s *stretches) add(e digest.Extent) (added uint64) {
	from, to := e.At, e.At+e.Length
	// Those from first up to last touch it.
	first, _ := slices.BinarySearchFunc(*s, from, func(x digest.Extent, at uint64) int {
		if x.At+x.Length < at {
			return -1
		}
		return 1
	})
	last, covered := first, uint64(0)
	for last < len(*s) && (*s)[last].At <= to {
		x := (*s)[last]
		covered += min(x.At+x.Length, e.At+e.Length) - max(x.At, e.At)
		from, to = min(from, x.At), max(to, x.At+x.Length)
		last++
	}
	*s = slices.Replace(*s, first, last, digest.Extent{At: from, Length: to - from})
	return e.Length - covered
}
