package condition

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Error is a mistake in a condition.
type Error struct {
	Condition string // as it is shown
	Pos, Len  int    // the bytes of it that are wrong; at its end, Pos is its length
	Message   string // what is wrong, and what would be right
}

func (e *Error) Error() string { return e.Message }

// Marked returns two lines: the condition, and carets under what is wrong.
func (e *Error) Marked() string {
	text := strings.Map(func(r rune) rune { // one column each, so that the carets stand right
		if unicode.In(r, unicode.C, unicode.Zl, unicode.Zp) || r == utf8.RuneError {
			return '?'
		}
		return r
	}, e.Condition)
	before := utf8.RuneCountInString(e.Condition[:e.Pos])
	length := max(1, utf8.RuneCountInString(e.Condition[e.Pos:min(e.Pos+e.Len, len(e.Condition))]))
	return text + "\n" + strings.Repeat(" ", before) + strings.Repeat("^", length)
}
