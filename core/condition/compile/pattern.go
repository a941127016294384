package compile

import (
	"bytes"
	"regexp"
	"regexp/syntax"

	"golang.org/x/text/unicode/norm"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/text"
)

// pattern is a regular expression with text that everything it matches must
// have. To look for that is many times faster, and rejects most names.
type pattern struct {
	re   *regexp.Regexp
	has  []byte // the longest such text, in small letters unless case matters
	ends []byte // text that it must end with, likewise
}

func newPattern(words string, matchCase bool) (*pattern, error) {
	words = norm.NFC.String(words)
	if !matchCase {
		words = "(?i:" + words + ")"
	}
	re, err := regexp.Compile(words)
	if err != nil {
		return nil, err
	}
	p := &pattern{re: re}
	if tree, err := syntax.Parse(words, syntax.Perl); err == nil {
		has, ends := text.Literals(tree.Simplify(), matchCase)
		if p.ends = []byte(ends); len(has) > 0 {
			p.has = []byte(has[0])
		}
	}
	return p, nil
}

// matches reports whether a value matches. The folded value is the same in small
// letters, unless case matters; where it is not all ASCII, letters have further
// forms that the pattern knows of, and only it is asked.
func (p *pattern) matches(value, folded []byte) bool {
	if text.IsASCII(folded) && (!bytes.HasSuffix(folded, p.ends) || !bytes.Contains(folded, p.has)) {
		return false
	}
	return p.re.Match(text.Fold(value, true))
}

// pattern makes the test for a regular expression.
func (c *compiler) pattern(t *condition.Test) (*part, error) {
	p, err := newPattern(t.Values[0].Text, c.env.MatchCase)
	if err != nil {
		return nil, c.mistake(t, 0, "%s", err)
	}
	f, matchCase := t.Field, c.env.MatchCase
	return newLeaf(f, f.Needs, matching, func(s *state, e *entry.Entry) bool {
		folded, ok := s.value(f, e, matchCase)
		return ok && p.matches(s.raw, folded)
	}).needing(patternNeed(f, p)), nil
}
