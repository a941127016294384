package condition

import (
	"fmt"
	"slices"

	"frankledger/core/entry"
)

// Contradictions finds tests joined by and that nothing can meet together, and
// says each pair. It does not find all there can be.
func (c *Condition) Contradictions(env *Environment) []string {
	var found []string
	var walk func(n Node)
	walk = func(n Node) {
		switch n := n.(type) {
		case All:
			for i, a := range n {
				for _, b := range n[i+1:] {
					if excludes(a, b, env) {
						found = append(found, fmt.Sprintf("nothing can meet both %q and %q", a, b))
					}
				}
				walk(a)
			}
		case Any:
			for _, part := range n {
				walk(part)
			}
		}
	}
	walk(c.Root)
	return found
}

// excludes reports whether nothing can meet both.
func excludes(a, b Node, env *Environment) bool {
	if (Not{a}).String() == b.String() || a.String() == (Not{b}).String() {
		return true
	}
	s, okS := a.(*Test)
	t, okT := b.(*Test)
	if !okS || !okT {
		return false
	}
	switch {
	case momentOf(s.Field) != "" && momentOf(s.Field) == momentOf(t.Field):
		return apart(env.period(s), env.period(t))
	case s.Field != t.Field:
		return false
	case s.Field.Type == entry.Bytes || s.Field.Type == entry.Number:
		x, possibleX := numberBounds(s)
		y, possibleY := numberBounds(t)
		return !possibleX || !possibleY || x.greatest < y.least || y.greatest < x.least
	case s.Field.Type == entry.Text && s.Op == Is && t.Op == Is && s.Field.Needs&entry.FactDigests == 0 && s.Field.Roster == entry.NoRoster:
		words := s.words(0, env.MatchCase)
		return !slices.ContainsFunc(t.words(0, env.MatchCase), func(word string) bool { return slices.Contains(words, word) })
	}
	return false
}

// apart reports whether no moment lies in both periods.
func apart(p, q period) bool {
	both := p
	if q.hasFrom && (!p.hasFrom || q.from.Compare(p.from) > 0 || q.from == p.from && q.fromAfter) {
		both.from, both.hasFrom, both.fromAfter = q.from, true, q.fromAfter
	}
	if q.hasTo && (!p.hasTo || q.to.Compare(p.to) < 0 || q.to == p.to && !q.until) {
		both.to, both.hasTo, both.until = q.to, true, q.until
	}
	return both.isVoid()
}

// momentOf names the field of moments that a test is about: an age is the time since one.
func momentOf(f *entry.Field) string {
	switch {
	case f.Type == entry.Moment:
		return f.Name
	case f.Since != nil:
		return f.Since.Name
	}
	return ""
}
