package usage

import (
	"slices"
)

// ListMark stands before the file of a list of paths.
const ListMark = "@@"

// RecordMark stands before the label or the number of a record.
const RecordMark = "@"

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
