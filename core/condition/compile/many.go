package compile

import (
	"bytes"
	"strings"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/text"
)

// Many alternatives about one field are asked about together: is the text one of these, or
// is one of these in it.

// mergeable reports whether a test can be asked together with others of its field.
func mergeable(t *condition.Test) bool {
	f := t.Field
	return f.Type == entry.Text && (t.Op == condition.Is || t.Op == condition.Has) && f.Words == nil && f.Roster == entry.NoRoster && !f.FromPlace && f.Families == nil && f.Needs&(entry.FactDigests|entry.FactText) == 0
}

// merge makes one part of tests of a condition with or that can be asked together, and
// returns these, and the nodes that are left.
func (c *compiler) merge(nodes []condition.Node) (parts []*part, left []condition.Node) {
	type asked struct {
		field *entry.Field
		op    condition.Op
	}
	together := map[asked][]*condition.Test{}
	for _, n := range nodes {
		if t, is := n.(*condition.Test); is && mergeable(t) {
			together[asked{t.Field, t.Op}] = append(together[asked{t.Field, t.Op}], t)
		}
	}
	for _, n := range nodes {
		t, is := n.(*condition.Test)
		if !is || !mergeable(t) || len(together[asked{t.Field, t.Op}]) < 2 {
			left = append(left, n)
			continue
		}
		if tests := together[asked{t.Field, t.Op}]; tests[0] == t {
			parts = append(parts, c.alternatives(tests))
		}
	}
	return parts, left
}

// alternatives makes the part that one of some tests is met.
func (c *compiler) alternatives(tests []*condition.Test) *part {
	var exact, plain []string
	var needs source.AnyNeed
	for _, t := range tests {
		words := wordsOf(t, 0, c.env.MatchCase)
		if t.Op == condition.Is && !t.Field.List {
			words = []string{strings.Join(words, ",")}
		}
		for _, word := range words {
			if t.Op == condition.Has && string(text.Plain([]byte(word))) == word {
				plain = append(plain, word)
			} else {
				exact = append(exact, word)
			}
		}
		if need := nameNeed(t, words); need != nil {
			needs = append(needs, need)
		}
	}
	f, matchCase := tests[0].Field, c.env.MatchCase
	of, cost := oneOf, comparing
	if tests[0].Op == condition.Has {
		of, cost = hasOne, searching
	}
	holdsExact, holdsPlain := of(exact), of(plain)
	p := newLeaf(f, f.Needs, cost, func(s *state, e *entry.Entry) bool {
		value, ok := s.value(f, e, matchCase)
		return ok && (holdsExact(value) || len(plain) > 0 && holdsPlain(text.Plain(value)))
	})
	if len(needs) == len(tests) {
		p.needing(needs)
	}
	return p
}

// oneOf returns the test whether a text is one of some words.
func oneOf(words []string) func([]byte) bool {
	set := make(map[string]struct{}, len(words))
	for _, word := range words {
		set[word] = struct{}{}
	}
	return func(value []byte) bool {
		_, is := set[string(value)]
		return is
	}
}

// hasOne returns the test whether one of some words is in a text. They are looked for all at
// once, by their first two bytes, and then by as many as the shortest has.
func hasOne(words []string) func([]byte) bool {
	var some [1 << 16 / 64]uint64 // which two bytes a word begins with
	var single [256]bool          // words of one byte
	shortest := 1 << 30
	for _, word := range words {
		switch len(word) {
		case 0:
			return func([]byte) bool { return true }
		case 1:
			single[word[0]] = true
			continue
		}
		two := uint16(word[0])<<8 | uint16(word[1])
		some[two/64] |= 1 << (two % 64)
		shortest = min(shortest, len(word))
	}
	begun := map[string][][]byte{}
	for _, word := range words {
		if len(word) > 1 {
			begun[word[:shortest]] = append(begun[word[:shortest]], []byte(word))
		}
	}
	return func(value []byte) bool {
		for i := range value {
			if single[value[i]] {
				return true
			}
			if len(value)-i < shortest {
				continue
			}
			two := uint16(value[i])<<8 | uint16(value[i+1])
			if some[two/64]&(1<<(two%64)) == 0 {
				continue
			}
			for _, word := range begun[string(value[i:i+shortest])] {
				if bytes.HasPrefix(value[i:], word) {
					return true
				}
			}
		}
		return false
	}
}
