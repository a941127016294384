package compile

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"frankledger/core/condition"
	"frankledger/core/entry"
)

// Contradictions finds tests joined by and that nothing can meet together, and
// says each pair. It does not find all there can be.
func Contradictions(c *condition.Condition, env *condition.Environment) []string {
	var found []string
	var walk func(n condition.Node)
	walk = func(n condition.Node) {
		switch n := n.(type) {
		case condition.All:
			for _, pair := range contradicting(n, env) {
				found = append(found, fmt.Sprintf("no entry can meet both %q and %q", pair[0], pair[1]))
			}
			for _, part := range n {
				walk(part)
			}
		case condition.Any:
			for _, part := range n {
				walk(part)
			}
		}
	}
	walk(c.Root)
	return found
}

// mostOfField is how many tests of one field are held against one another.
const mostOfField = 100

// contradicting returns pairs of tests, of those joined by and, that nothing can meet both of, in
// the order written.
func contradicting(all condition.All, env *condition.Environment) (pairs [][2]condition.Node) {
	plain, about := map[string]condition.Node{}, map[string][]*condition.Test{}
	for _, n := range all {
		if not, is := n.(condition.Not); is {
			if other := plain[not.Node.String()]; other != nil {
				pairs = append(pairs, [2]condition.Node{other, n})
			}
		} else if other := plain["not "+condition.Inside(n, condition.BindsNot)]; other != nil {
			pairs = append(pairs, [2]condition.Node{other, n})
		}
		plain[n.String()] = n
		t, is := n.(*condition.Test)
		if !is {
			continue
		}
		of := cmp.Or(momentOf(t.Field), t.Field.Name)
		for _, before := range about[of] {
			if excludes(before, t, env) {
				pairs = append(pairs, [2]condition.Node{before, t})
			}
		}
		if len(about[of]) < mostOfField {
			about[of] = append(about[of], t)
		}
	}
	return pairs
}

// excludes reports whether nothing can meet both of two tests of one field.
func excludes(s, t *condition.Test, env *condition.Environment) bool {
	switch {
	case momentOf(s.Field) != "" && momentOf(s.Field) == momentOf(t.Field):
		return apart(periodOf(env, s), periodOf(env, t))
	case s.Field != t.Field:
		return false
	case s.Field.Type == entry.Bytes || s.Field.Type == entry.Number:
		x, possibleX := numberBounds(s)
		y, possibleY := numberBounds(t)
		return !possibleX || !possibleY || x.greatest < y.least || y.greatest < x.least
	case s.Field.Type == entry.Text && s.Op == condition.Is && t.Op == condition.Is && s.Field.Needs&entry.FactDigests == 0 && s.Field.Roster == entry.NoRoster:
		words := wordsOf(s, 0, env.MatchCase)
		return !slices.ContainsFunc(wordsOf(t, 0, env.MatchCase), func(word string) bool {
			return slices.ContainsFunc(words, func(other string) bool {
				return word == other || s.Field.Families != nil && (inFamily(word, other) || inFamily(other, word))
			})
		})
	}
	return false
}

// inFamily reports whether a media type is of a family: image/png of image.
func inFamily(text, family string) bool { return strings.HasPrefix(text, family+"/") }

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
