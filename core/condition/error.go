package condition

import (
	"errors"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Error is a mistake in a condition.
type Error struct {
	Condition string // as it is shown
	Pos, Len  int    // the bytes of it that are wrong; at its end, Pos is its length
	Message   string // what is wrong, and what would be right
	// Repairs are conditions that were likely meant, as words. Each of them parses.
	Repairs [][]string
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

// wrongValue is an error of a value, with what was likely meant in its place.
type wrongValue struct {
	message string
	with    []string
	test    string // in place of the whole test; "" for none
}

func (e *wrongValue) Error() string { return e.message }

// wrong returns an error of a value, with what was likely meant in its place.
func wrong(with []string, format string, args ...any) error {
	return &wrongValue{fmt.Sprintf(format, args...), with, ""}
}

// wrongTest returns an error of a value, with a test that was likely meant.
func wrongTest(test, format string, args ...any) error {
	return &wrongValue{fmt.Sprintf(format, args...), nil, test}
}

// repair adds conditions in which a stretch is replaced, as far as they parse.
func (s *script) repair(e *Error, with ...string) *Error {
	wrong := s.text[e.Pos:min(len(s.text), e.Pos+e.Len)]
	for i, text := range with {
		if s.mistakes == 0 {
			break
		}
		if had := digits(wrong); had != "" && digits(text) == "" { // something that was said would be lost
			continue
		}
		words := []string{s.text[:e.Pos] + text + s.text[min(len(s.text), e.Pos+e.Len):]}
		if s.words {
			words = s.replaced(e.Pos, e.Len, strings.Fields(text))
		}
		more := 0
		if i == 0 {
			more = s.mistakes - 1
		}
		_, err := parse(words, more)
		var other *Error
		switch {
		case err == nil:
			e.Repairs = append(e.Repairs, words)
		case i == 0 && errors.As(err, &other) && other.Pos > e.Pos: // there is another mistake after this one
			e.Repairs = append(e.Repairs, other.Repairs...)
		}
	}
	return e
}

// digits are the digits of a text.
func digits(text string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, text)
}

// replaced returns the words of a condition with others in the place of those that
// stand in a stretch; before what comes next, if none does.
func (s *script) replaced(pos, length int, with []string) (words []string) {
	done := false
	for _, t := range s.tokens {
		inside := t.pos >= pos && t.pos < pos+max(length, 1) && length > 0
		if (inside || t.pos >= pos) && !done {
			words = append(words, with...)
			done = true
		}
		if !inside {
			words = append(words, t.text)
		}
	}
	if !done {
		words = append(words, with...)
	}
	return words
}
