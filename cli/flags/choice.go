package flags

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/pflag"

	"frankledger/cli/usage"
)

// Choice is the value of an option that is one of some words. It implements [pflag.Value].
type Choice struct {
	option string
	words  []string
	at     int // of the word that was chosen; -1 for none
	// Others tells words that are meant as values, though they are none: where the option can stand without
	// one, they are not taken for something else. It may be nil.
	Others func(word string) bool
}

// AddChoice gives a command an option that is one of some words: the usual one unless another is
// chosen or, if that is "", none.
func AddChoice(f *pflag.FlagSet, to *Choice, name, short string, words []string, usual, meaning string) {
	*to = Choice{option: name, words: words, at: slices.Index(words, usual)}
	f.VarP(to, name, short, meaning)
}

// Index returns the place of the chosen word among the words that there are; -1 if none is chosen.
func (c *Choice) Index() int { return c.at }

// String implements [pflag.Value]: it is the word, "" for none.
func (c *Choice) String() string {
	if c.at < 0 || c.words == nil {
		return ""
	}
	return c.words[c.at]
}

// Type implements [pflag.Value].
func (*Choice) Type() string { return "string" }

// Set implements [pflag.Value]. The error says what the option can be.
func (c *Choice) Set(word string) error {
	at := c.find(word)
	if at < 0 {
		return &usage.Failure{Status: usage.StatusUsage, Option: c.option, Value: word,
			Err: fmt.Errorf("--%s can be %s, not %q", c.option, Alternatives(c.words), word)}
	}
	c.at = at
	return nil
}

// find returns the place of a word among those there are, in any letter case; -1 if it is none.
func (c *Choice) find(word string) int {
	if at := slices.Index(c.words, word); at >= 0 {
		return at
	}
	return slices.IndexFunc(c.words, func(one string) bool { return strings.EqualFold(one, word) })
}

// Alternatives writes words as English does: a, b or c.
func Alternatives(words []string) string {
	last := len(words) - 1
	if last == 0 {
		return words[0]
	}
	return strings.Join(words[:last], ", ") + " or " + words[last]
}
