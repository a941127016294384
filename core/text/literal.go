package text

import (
	"regexp/syntax"
	"slices"
)

// Literals returns texts that everything has that a regular expression matches, the longest first, and one that it
// ends with, "" if none is known. They are folded, unless letter case matters, and all ASCII. To look for them is many
// times faster than to match the expression.
func Literals(tree *syntax.Regexp, matchCase bool) (has []string, ends string) {
	parts := []*syntax.Regexp{tree}
	if tree.Op == syntax.OpConcat {
		parts = tree.Sub
	}
	for i, part := range parts {
		if part.Op != syntax.OpLiteral || part.Flags&syntax.FoldCase != 0 == matchCase {
			continue
		}
		literal := []byte(string(part.Rune))
		if !matchCase {
			literal = Fold(literal, false)
		}
		if !IsASCII(literal) {
			continue
		}
		has = append(has, string(literal))
		if i == len(parts)-2 && parts[i+1].Op == syntax.OpEndText {
			ends = string(literal)
		}
	}
	slices.SortStableFunc(has, func(a, b string) int { return len(b) - len(a) })
	return has, ends
}
