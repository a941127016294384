package weigh

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"frankledger/core/condition"
	"frankledger/core/sums"
)

// Limit is how much something may weigh, or may have grown, at most.
type Limit struct {
	most  int64
	share float64 // of what it weighed before; 0 where the limit is a number
	set   bool
	words string
}

// String returns the limit as it was written.
func (l Limit) String() string { return l.words }

// ParseLimit reads a limit: a size such as 5GB, or a number of files, or a share of what there was before, such as
// 10%, each after words such as more than. A share is only for growth.
func ParseLimit(text string, by sums.Measure, growth bool) (Limit, error) {
	words := strings.TrimSpace(text)
	for _, before := range []string{"more than", "over", "above"} {
		words = strings.TrimSpace(strings.TrimPrefix(words, before))
	}
	if percent, is := strings.CutSuffix(words, "%"); is {
		share, err := strconv.ParseFloat(strings.TrimSpace(percent), 64)
		if err != nil || !(share > 0 && share < 1e9) {
			return Limit{}, fmt.Errorf("this should be a percentage such as 10%%, not %s", text)
		}
		if !growth {
			return Limit{}, errors.New("a percentage needs something to compare with: add --since")
		}
		return Limit{share: share / 100, set: true, words: words}, nil
	}
	if by == sums.ByFiles {
		n, err := strconv.ParseInt(words, 10, 64)
		if err != nil || n < 0 {
			return Limit{}, fmt.Errorf("with --by files, this should be a number of files, not %s", text)
		}
		return Limit{most: n, set: true, words: words}, nil
	}
	n, err := condition.ParseBytes(words)
	return Limit{most: n, set: true, words: words}, err
}

// Passed reports whether what was weighed is more than the limit or, where there was something before, has grown by
// more. Before is 0 where there is nothing to compare with.
func (l Limit) Passed(before, now int64) bool {
	grown := now - before
	switch {
	case !l.set:
		return false
	case l.share > 0:
		return float64(grown) > l.share*float64(before)
	}
	return grown > l.most
}
