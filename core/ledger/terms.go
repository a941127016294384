package ledger

import (
	"strings"

	"frankledger/core/source"
)

// Terms are what chose the entries of a record, besides the place. What is there now is compared with it on the same
// terms.
type Terms struct {
	Hidden     source.Hidden
	Skip       []string // patterns of folders
	SameDisk   bool
	MatchCase  bool     // in patterns and in the condition
	Attributes bool     // attributes, access lists, capabilities and flags are asked for
	Quick      bool     // folders that looked unchanged were taken over from the record before
	AsOf       string   // the moment, by RFC 3339, that times in the condition are counted from; "" for when it was taken
	Where      []string // the words of the condition; nil for none
}

// whereWord stands before a condition.
const whereWord = "where"

// Words are the terms as they are kept, and as a person would write them.
func (t *Terms) Words() (words []string) {
	if t.Hidden != source.ShowHidden {
		words = append(words, "--hidden", source.HiddenWords[t.Hidden])
	}
	for _, pattern := range t.Skip {
		words = append(words, "--skip", pattern)
	}
	if t.SameDisk {
		words = append(words, "--same-disk")
	}
	if t.MatchCase {
		words = append(words, "--match-case")
	}
	if t.Attributes {
		words = append(words, "--attributes")
	}
	if t.Quick {
		words = append(words, "--quick")
	}
	if t.AsOf != "" {
		words = append(words, "--as-of", t.AsOf)
	}
	if len(t.Where) > 0 {
		words = append(append(words, whereWord), t.Where...)
	}
	return words
}

// Whole reports whether nothing was left out of the folders that were read.
func (t Terms) Whole() bool { return t.Hidden == source.ShowHidden && t.Where == nil }

// Choosing are the terms without those that do not choose entries.
func (t Terms) Choosing() Terms {
	t.Attributes, t.Quick, t.MatchCase = false, false, t.MatchCase && len(t.Skip)+len(t.Where) > 0
	return t
}

// ChooseAs reports whether two records made on these terms have the same entries of the same
// place, whatever else they know of these.
func (t Terms) ChooseAs(other Terms) bool {
	t, other = t.Choosing(), other.Choosing()
	return t.String() == other.String()
}

// ParseTerms reads terms from words. What it does not know is passed over.
func ParseTerms(words []string) (t Terms) {
	for i := 0; i < len(words); i++ {
		value := ""
		if i+1 < len(words) {
			value = words[i+1]
		}
		switch words[i] {
		case "--hidden":
			t.Hidden, _ = source.ParseHidden(value)
			i++
		case "--skip":
			t.Skip = append(t.Skip, value)
			i++
		case "--as-of":
			t.AsOf = value
			i++
		case "--same-disk":
			t.SameDisk = true
		case "--match-case":
			t.MatchCase = true
		case "--attributes":
			t.Attributes = true
		case "--quick":
			t.Quick = true
		case whereWord:
			t.Where = words[i+1:]
			return t
		}
	}
	return t
}

func (t *Terms) String() string { return strings.Join(t.Words(), " ") }
