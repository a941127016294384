package suggest

import (
	"slices"
	"strings"

	"frankledger/cli/usage"
)

// Args is a command line, as words without the name of the program.
type Args []string

// Instead is the command line with other words in the place of one of its own; nil if that
// is not one of them.
func (a Args) Instead(word string, with ...string) []string {
	at := slices.Index(a, word)
	if at < 0 {
		return nil
	}
	return slices.Concat(a[:at], with, a[at+1:])
}

// WithCondition is the command line with another condition.
func (a Args) WithCondition(words []string) []string {
	at := slices.Index(a, usage.Where)
	if at < 0 {
		return nil
	}
	if len(words) == 1 && !strings.ContainsAny(words[0], "'\"()") { // it needs no quotes of its own
		words = strings.Fields(words[0])
	}
	line := slices.Concat(a[:at+1], words)
	// Options may stand among the words of the condition: they go to the end.
	for i := at + 1; i < len(a); i++ {
		if strings.HasPrefix(a[i], "-") && !slices.Contains(words, a[i]) {
			line = append(line, a[i])
			if i+1 < len(a) && !strings.Contains(a[i], "=") && !slices.Contains(words, a[i+1]) && !strings.HasPrefix(a[i+1], "-") {
				line = append(line, a[i+1])
				i++
			}
		}
	}
	return line
}

// WithOnly are command lines with only one of the places, for each of the first two.
func (a Args) WithOnly(places []string) (lines [][]string) {
	for i := range places[:min(2, len(places))] {
		lines = append(lines, a.Without(slices.Delete(slices.Clone(places), i, i+1)))
	}
	return lines
}

// Without is the command line without some of its words; nil if one of them is not there.
func (a Args) Without(words []string) []string {
	line := slices.Clone(a)
	for _, word := range words {
		at := slices.Index(line, word)
		if at < 0 {
			return nil
		}
		line = slices.Delete(line, at, at+1)
	}
	return line
}

// WithoutCondition is the command line without its condition.
func (a Args) WithoutCondition() []string {
	at := slices.Index(a, usage.Where)
	if at < 0 {
		return nil
	}
	return a[:at]
}
