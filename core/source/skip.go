package source

import (
	"fmt"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"frankledger/core/entry"
	"frankledger/core/text"
)

// HiddenWords are the words for what to do with hidden entries, by their values.
var HiddenWords = []string{ShowHidden: "show", OmitHidden: "omit", OnlyHidden: "only"}

// ParseHidden reads one of them.
func ParseHidden(word string) (Hidden, error) {
	if i := slices.Index(HiddenWords, word); i >= 0 {
		return Hidden(i), nil
	}
	return 0, fmt.Errorf("can be show, omit or only, not %q", word)
}

// Skipper returns a function that tells which folders not to go into: those
// whose name matches a pattern, or whose relative path does if the
// pattern has a slash.
func Skipper(patterns []string, matchCase bool) (func(*entry.Folder) bool, error) {
	fold := func(s string) string { return string(text.Fold([]byte(s), matchCase)) }
	var names, rels []Pattern
	for _, pattern := range patterns {
		if err := CheckPattern(pattern); err != nil {
			return nil, err
		}
		pattern = fold(strings.TrimPrefix(strings.TrimSuffix(pattern, "/"), "./"))
		made, _ := NewPattern(pattern)
		if strings.Contains(pattern, "/") {
			rels = append(rels, made)
		} else {
			names = append(names, made)
		}
	}
	if len(patterns) == 0 {
		return nil, nil
	}
	return func(folder *entry.Folder) bool {
		name := fold(folder.Name)
		for _, pattern := range names {
			if pattern.Matches(name) {
				return true
			}
		}
		if len(rels) == 0 {
			return false
		}
		rel := fold(folder.Relative())
		for _, pattern := range rels {
			if pattern.Matches(rel) {
				return true
			}
		}
		return false
	}, nil
}

// Pattern is a pattern with wildcards: * for any text within a name, ? for any letter, [a-z] for
// one of these, ** for any folders, and a backslash before what stands for itself. So does
// anything else.
type Pattern string

// NewPattern returns the pattern that a text is, and whether it is one.
func NewPattern(text string) (Pattern, bool) {
	p := make([]byte, 0, len(text)+8)
	for i := 0; i < len(text); i++ {
		switch text[i] {
		case '{', '}': // alternatives to the library, which takes exponential time for them
			p = append(p, '\\')
		case '\\':
			if i+1 < len(text) {
				p = append(p, text[i])
				i++
			}
		}
		p = append(p, text[i])
	}
	return Pattern(p), text != "" && doublestar.ValidatePattern(string(p))
}

// Matches reports whether the whole of a text is as the pattern says.
func (p Pattern) Matches(text string) bool { return doublestar.MatchUnvalidated(string(p), text) }

// CheckPattern returns an error for what is no pattern of folders.
func CheckPattern(pattern string) error {
	if _, is := NewPattern(pattern); !is {
		return fmt.Errorf("%q is not a pattern: write a name, with * ? and [a-z] for what may vary", pattern)
	}
	return nil
}
