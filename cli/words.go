package cli

import (
	"frankledger/cli/flags"
	"frankledger/core/source"
)

// Words that several options take.
const (
	allWord    = flags.All
	autoWord   = "auto"
	alwaysWord = "always"
	neverWord  = "never"
)

var (
	hiddenWords = source.HiddenWords
	whenWords   = []string{autoWord, alwaysWord, neverWord}
)

// The groups that help lists options in.
const (
	groupWhat  = "What to show"
	groupWhere = "Where to look"
	groupHow   = "How to show it"
	groupOut   = "Where it goes"
)

// exampleMark starts each example in cobra's text of them; help parts them
// again there, and so do the tests that run them.
const exampleMark = "frank "

const groupDo = "What to do"
