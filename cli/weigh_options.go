package cli

import (
	"frankledger/cli/flags"
	"frankledger/core/sums"
)

type weighOptions struct {
	reading           readingOptions
	by, picture       flags.Choice
	atLeast           string
	explain           flags.Word
	since             string
	failIf            string
	largest, heaviest flags.Parsed[int]
}

// explains reports whether it is told what was added up for a folder.
func (o *weighOptions) explains() bool { return o.explain.Alone() || o.explain.String() != "" }

// measures are the words for what folders are weighed by, in the order of
// sums.Measure.
var measures = sums.MeasureWords
