package source

import (
	"fmt"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"frankledger/core/entry"
	"frankledger/core/letters"
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
// whose name matches a pattern, or whose way from the place does if the
// pattern has a slash.
func Skipper(patterns []string, matchCase bool) (func(*entry.Folder) bool, error) {
	fold := func(s string) string { return string(letters.Fold([]byte(s), matchCase)) }
	var names, ways []string
	for _, pattern := range patterns {
		if err := CheckPattern(pattern); err != nil {
			return nil, err
		}
		pattern = fold(strings.TrimSuffix(pattern, "/"))
		if strings.Contains(pattern, "/") {
			ways = append(ways, strings.TrimPrefix(pattern, "./"))
		} else {
			names = append(names, pattern)
		}
	}
	if len(patterns) == 0 {
		return nil, nil
	}
	return func(folder *entry.Folder) bool {
		name := fold(folder.Name)
		for _, pattern := range names {
			if doublestar.MatchUnvalidated(pattern, name) {
				return true
			}
		}
		if len(ways) == 0 {
			return false
		}
		way := fold(folder.Relative())
		for _, pattern := range ways {
			if doublestar.MatchUnvalidated(pattern, way) {
				return true
			}
		}
		return false
	}, nil
}

// CheckPattern returns an error for what is no pattern of folders.
func CheckPattern(pattern string) error {
	if pattern == "" || !doublestar.ValidatePattern(pattern) {
		return fmt.Errorf("%q is not a pattern: write a name, with * ? and [a-z] for what may vary", pattern)
	}
	return nil
}
