package usage

import (
	"slices"
	"strings"
)

// ListMark stands before the file of a list of paths.
const ListMark = "@@"

// RecordMark stands before the label or the number of a record.
const RecordMark = "@"

// marks are what words begin with that name a place, whatever files there are.
var marks = []string{ListMark, RecordMark}

// IsMarked reports whether a word names a place by what it begins with.
func IsMarked(word string) bool {
	return slices.ContainsFunc(marks, func(mark string) bool { return strings.HasPrefix(word, mark) })
}

// Where parts places from the condition.
const Where = "where"

// SplitWhere parts the words of a command into places and condition.
func SplitWhere(args []string) (places, words []string, has bool) {
	i := slices.Index(args, Where)
	if i < 0 {
		return args, nil, false
	}
	return args[:i], args[i+1:], true
}
