package cli

import (
	"frankledger/cli/flags"
	"frankledger/core/sums"
)

type weighOptions struct {
	reading           readingOptions
	by, picture       flags.Choice
	atLeast, explain  string
	since             string
	largest, heaviest flags.Parsed[int]
}

// measures are the words for what folders are weighed by, in the order of
// sums.Measure.
var measures = sums.MeasureWords
