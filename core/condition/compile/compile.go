package compile

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/text"
	"frankledger/core/textfile"
)

// Condition makes a program for a moment and a person. The error is an *Error:
// an owner that does not exist, say.
func Condition(c *condition.Condition, env *condition.Environment) (*Program, error) {
	compiler := &compiler{c, env, &texts{sought: textfile.NewSought(env.MatchCase)}}
	root, err := compiler.compile(c.Root)
	if err != nil {
		return nil, err
	}
	return &Program{root: root, texts: compiler.texts, env: env, context: &entry.Context{AsOf: env.AsOf, Accounts: env.Accounts, Relative: env.Relative}}, nil
}

type compiler struct {
	condition *condition.Condition
	env       *condition.Environment
	texts     *texts
}

func (c *compiler) compile(n condition.Node) (*part, error) {
	switch n := n.(type) {
	case condition.All:
		return c.compileAll(allOf, n)
	case condition.Any:
		merged, left := c.merge(n)
		rest, err := c.compileAll(anyOf, left)
		if err != nil || len(merged) == 0 {
			return rest, err
		}
		return join(anyOf, append(merged, rest.parts...)...), nil
	case condition.Not:
		return c.compileAll(notOf, []condition.Node{n.Node})
	case condition.Flag:
		return flagPart(n.Field), nil
	case condition.Valued:
		f := n.Field
		return newLeaf(f, f.Needs, cheap, func(s *state, e *entry.Entry) bool { return f.Valued(e, s.context) != n.Missing }), nil
	}
	return c.compileTest(n.(*condition.Test))
}

func (c *compiler) compileAll(kind partKind, nodes []condition.Node) (*part, error) {
	parts := make([]*part, len(nodes))
	for i, n := range nodes {
		var err error
		if parts[i], err = c.compile(n); err != nil {
			return nil, err
		}
	}
	return join(kind, parts...), nil
}

// What tests cost beside their facts, each stage of facts costing more than
// any of these.
const (
	cheap     = iota // a number or a kind
	comparing        // text compared with text
	searching        // text looked for in text
	matching         // a pattern
	stageCost
)

// newLeaf makes the part that tests a field, by some facts.
func newLeaf(f *entry.Field, needs entry.Facts, cost int, test func(*state, *entry.Entry) bool) *part {
	return &part{field: f, needs: needs, cost: cost + stageCost*stage(needs), test: test}
}

// ofKind makes a part that only entries of some kinds can meet, so that no
// facts about others are asked for.
func ofKind(p *part, kinds ...entry.Kind) *part {
	of := newLeaf(condition.KindField, 0, cheap, func(_ *state, e *entry.Entry) bool { return slices.Contains(kinds, e.Kind) })
	return join(allOf, of.needing(oneOfNeeds(kinds, func(kind entry.Kind) source.Need { return source.NeedKind(kind) })), p)
}

// flagPart makes the part for a single word.
func flagPart(f *entry.Field) *part {
	return having(f, func(needs entry.Facts) *part {
		return newLeaf(f, needs, cheap, func(_ *state, e *entry.Entry) bool {
			is, known := f.Flag(e)
			return is && known
		})
	})
}

// having makes a part that only entries can meet that can have a field.
func having(f *entry.Field, whole func(needs entry.Facts) *part) *part {
	var parts []*part
	for _, some := range f.Having {
		parts = append(parts, ofKind(whole(some.Needs), some.Kinds...))
	}
	switch len(parts) {
	case 0:
		return whole(f.Needs)
	case 1:
		return parts[0]
	}
	return join(anyOf, parts...)
}

func (c *compiler) compileTest(t *condition.Test) (*part, error) {
	var p *part
	var err error
	switch t.Field.Type {
	case entry.Text:
		p, err = c.text(t)
	case entry.Moment:
		p, err = c.moment(t)
	case entry.Span:
		p, err = c.age(t)
	case entry.Mode:
		p, err = c.mode(t)
	default:
		p, err = c.number(t)
	}
	if err != nil {
		return nil, err
	}
	if t.Field.Roster != entry.NoRoster && t.Op != condition.Is { // the text of a number without a name is the number
		p.doubted = c.doubted(t.Field.Roster)
	}
	return having(t.Field, func(entry.Facts) *part { return p }), nil
}

// wordsOf are the words of a value as they are compared.
func wordsOf(t *condition.Test, value int, matchCase bool) []string {
	words := slices.Clone(t.Values[value].Words)
	for i, word := range words {
		words[i] = string(text.Fold([]byte(word), matchCase && t.Field.Needs&entry.FactDigests == 0))
	}
	return words
}

func (c *compiler) text(t *condition.Test) (*part, error) {
	f, matchCase := t.Field, c.env.MatchCase
	words := wordsOf(t, 0, matchCase)
	switch {
	case t.Op == condition.Is && f.Words != nil:
		held := newLeaf(f, f.Needs, cheap, func(_ *state, e *entry.Entry) bool { return slices.Contains(words, f.Held(e)) })
		if f.Summed == entry.SummedKind {
			held.needing(kindNeed(words))
		}
		return held, nil
	case t.Op == condition.Is && f.Roster != entry.NoRoster:
		return c.account(t)
	case f.Needs&entry.FactText != 0:
		return c.inside(t)
	case t.Op == condition.Matches:
		return c.pattern(t)
	}
	return c.compare(t, words), nil
}

// compare makes the test that compares a text with words. A piece without accents is also
// in what has them. Paths are compared as they were given, and as they are shown: from
// the place on.
func (c *compiler) compare(t *condition.Test, words []string) *part {
	f, matchCase := t.Field, c.env.MatchCase
	if t.Op != condition.Is && t.Op != condition.Has {
		words = []string{strings.Join(words, ",")}
	}
	var exact, plain []string
	for _, word := range words {
		if f.FromPlace && len(word) > len(here) {
			word = strings.TrimPrefix(word, here)
		}
		if t.Op != condition.Is && string(text.Plain([]byte(word))) == word {
			plain = append(plain, word)
		} else {
			exact = append(exact, word)
		}
	}
	holdsExact, cost := textTest(t, exact)
	holdsPlain, _ := textTest(t, plain)
	holds := func(value []byte) bool {
		return len(exact) > 0 && holdsExact(value) || len(plain) > 0 && holdsPlain(text.Plain(value))
	}
	if t.Op == condition.Ends && f.Held != nil && text.IsASCII([]byte(words[0])) {
		return newLeaf(f, f.Needs, cost, func(s *state, e *entry.Entry) bool {
			if is, known := text.Ends(f.Held(e), words[0], matchCase); known {
				return is
			}
			value, ok := s.value(f, e, matchCase)
			return ok && holds(value)
		}).needing(nameNeed(t, words))
	}
	if !f.FromPlace {
		return newLeaf(f, f.Needs, cost, func(s *state, e *entry.Entry) bool {
			value, ok := s.value(f, e, matchCase)
			return ok && holds(value)
		}).needing(nameNeed(t, words))
	}
	return newLeaf(f, f.Needs, cost, func(s *state, e *entry.Entry) bool {
		value, ok := s.value(f, e, matchCase)
		if !ok || holds(value) {
			return ok
		}
		if c.env.Relative {
			return string(value) != "." && holds(s.fromHere(value))
		}
		below, is := bytes.CutPrefix(value, text.Fold([]byte(e.Folder.Place.Given), matchCase))
		return is && len(below) > 1 && holds(bytes.TrimPrefix(below, []byte("/")))
	})
}

// here stands before paths from the current folder.
const here = "./"

// textTest returns the function that a text is compared with, in the form that both are
// compared in.
func textTest(t *condition.Test, words []string) (holds func([]byte) bool, cost int) {
	wanted := strings.Join(words, ",")
	bytesWanted := []byte(wanted)
	switch t.Op {
	case condition.Is:
		if t.Field.Needs&entry.FactDigests != 0 {
			return func(value []byte) bool { return bytes.HasPrefix(value, bytesWanted) }, comparing
		}
		if t.Field.Families != nil {
			return func(value []byte) bool {
				family, _, _ := strings.Cut(string(value), "/")
				return slices.Contains(words, string(value)) || slices.Contains(words, family)
			}, comparing
		}
		if t.Field.List {
			return oneOf(words), comparing
		}
		return func(value []byte) bool { return bytes.Equal(value, bytesWanted) }, comparing
	case condition.Has:
		if len(words) > 1 {
			return hasOne(words), searching
		}
		return func(value []byte) bool { return bytes.Contains(value, bytesWanted) }, searching
	case condition.Starts:
		return func(value []byte) bool { return bytes.HasPrefix(value, bytesWanted) }, comparing
	case condition.Ends:
		return func(value []byte) bool { return bytes.HasSuffix(value, bytesWanted) }, comparing
	case condition.Like:
		pattern, _ := source.NewPattern(wanted)
		return func(value []byte) bool { return pattern.Matches(string(value)) }, matching
	}
	panic("unreachable: " + t.Op)
}

// account makes the test for owners or groups: names, numbers, me and unknown.
func (c *compiler) account(t *condition.Test) (*part, error) {
	lookup, find, names := c.env.Accounts.User, c.env.Accounts.UserID, c.env.Accounts.UserNames
	mine, noun, roster := []uint32{c.env.User}, "user", t.Field.Roster
	if roster == entry.Groups {
		lookup, find, names = c.env.Accounts.Group, c.env.Accounts.GroupID, c.env.Accounts.GroupNames
		mine, noun = c.env.Groups, "group"
	}
	var ids []uint32
	unknown := false
	for _, word := range t.Values[0].Words {
		number, err := strconv.ParseUint(word, 10, 32)
		switch found, known := find(word); {
		case known:
			ids = append(ids, found)
		case strings.EqualFold(word, condition.MeWord):
			ids = append(ids, mine...)
		case strings.EqualFold(word, condition.UnknownWord):
			unknown = true
		case err == nil:
			ids = append(ids, uint32(number))
		default:
			hint := fmt.Sprintf("%s is unknown finds entries without one", t.Field.Name)
			if near := text.Nearest(word, names()); near != "" {
				hint = "did you mean " + near + "?"
			}
			return nil, c.mistake(t, 0, "there is no %s %s on this system; %s", noun, word, hint)
		}
	}
	doubted := c.doubted(roster)
	p := newLeaf(t.Field, t.Field.Needs, cheap, func(_ *state, e *entry.Entry) bool {
		id, ok := roster.ID(e)
		if !ok || slices.Contains(ids, id) {
			return ok
		}
		if !unknown {
			return false
		}
		_, known := lookup(id)
		return !known && !doubted(e)
	}).needing(accountNeed(roster, ids, unknown))
	if unknown {
		p.doubted = doubted
	}
	return p, nil
}

// doubted returns what reports whether the account of an entry may have a name that was not found.
func (c *compiler) doubted(roster entry.Roster) func(*entry.Entry) bool {
	doubted := c.env.Accounts.UserDoubted
	if roster == entry.Groups {
		doubted = c.env.Accounts.GroupDoubted
	}
	return func(e *entry.Entry) bool {
		id, ok := roster.ID(e)
		return ok && doubted(id)
	}
}

// bounds are the least and the greatest value that meet a test of numbers, by
// their ranks.
type bounds struct{ least, greatest uint64 }

// numberBounds returns the bounds of a test, and none if nothing can meet it.
func numberBounds(t *condition.Test) (b bounds, possible bool) {
	b = bounds{0, math.MaxUint64}
	switch first := t.Values[0].Rank; t.Op {
	case condition.Is:
		b = bounds{first, first}
	case condition.Over:
		if first == math.MaxUint64 {
			return b, false
		}
		b.least = first + 1
	case condition.Under:
		if first == 0 {
			return b, false
		}
		b.greatest = first - 1
	case condition.AtLeast:
		b.least = first
	case condition.AtMost:
		b.greatest = first
	case condition.Between:
		b = bounds{first, t.Values[1].Rank}
	}
	return b, b.least <= b.greatest
}

func (c *compiler) number(t *condition.Test) (*part, error) {
	f := t.Field
	b, possible := numberBounds(t)
	if t.Op == condition.Between && !possible {
		return nil, c.mistake(t, 1, "write the smaller value first: between A and B")
	}
	return newLeaf(f, f.Needs, cheap, func(s *state, e *entry.Entry) bool {
		n, ok := f.Number(e, s.context)
		if !ok || !possible {
			return false
		}
		rank := f.Rank(n)
		return b.least <= rank && rank <= b.greatest
	}).needing(numberNeed(f, b, possible)), nil
}

// period is a stretch of time with its first moment and the first after it.
type period struct {
	from, to         entry.Time
	hasFrom, hasTo   bool
	fromAfter, until bool // from itself is not in it; to itself is
}

func (p *period) holds(t entry.Time) bool {
	if p.hasFrom {
		if c := t.Compare(p.from); c < 0 || c == 0 && p.fromAfter {
			return false
		}
	}
	if p.hasTo {
		if c := t.Compare(p.to); c > 0 || c == 0 && !p.until {
			return false
		}
	}
	return true
}

// isVoid reports whether no moment lies in the period.
func (p *period) isVoid() bool {
	c := p.from.Compare(p.to)
	return p.hasFrom && p.hasTo && (c > 0 || c == 0 && (p.fromAfter || !p.until))
}

func (p *period) start(t time.Time) { p.from, p.hasFrom = entry.TimeOf(t), true }
func (p *period) end(t time.Time)   { p.to, p.hasTo = entry.TimeOf(t), true }

// periodOf returns the stretch of time that a test of moments or ages means.
func periodOf(env *condition.Environment, t *condition.Test) period {
	var p period
	if t.Field.Type == entry.Span {
		return agePeriod(env, t)
	}
	if t.Op == condition.Within {
		p.start(t.Values[0].Span.Before(env.AsOf.In(env.Zone)))
		p.end(env.AsOf)
		p.until = true
		return p
	}
	w := t.Values[0].When
	from, to := w.Resolve(env.AsOf, env.Zone)
	switch t.Op {
	case condition.Before:
		p.end(from)
	case condition.After:
		p.start(to)
		p.fromAfter = from.Equal(to)
	case condition.Since:
		p.start(from)
	case condition.On:
		from, to = w.Day(env.AsOf, env.Zone)
		p.start(from)
		p.end(to)
	case condition.Between:
		p.start(from)
		from, to = t.Values[1].When.Resolve(env.AsOf, env.Zone)
		p.end(to)
		p.until = from.Equal(to)
	}
	return p
}

// agePeriod returns when something was last altered whose age meets a test.
func agePeriod(env *condition.Environment, t *condition.Test) period {
	var p period
	asOf := env.AsOf.In(env.Zone)
	s, unit := t.Values[0].Span, t.Values[0].Unit
	switch at := s.Before(asOf); t.Op {
	case condition.Over:
		p.end(at)
	case condition.AtLeast:
		p.end(at)
		p.until = true
	case condition.Under:
		p.start(at)
		p.fromAfter = true
	case condition.AtMost:
		p.start(at)
	case condition.Is:
		p.start(s.More(unit).Before(asOf))
		p.fromAfter = true
		p.end(at)
		p.until = true
	case condition.Between:
		p.end(at)
		p.until = true
		p.start(t.Values[1].Span.Before(asOf))
	}
	return p
}

func (c *compiler) moment(t *condition.Test) (*part, error) {
	f, p := t.Field, periodOf(c.env, t)
	if t.Op == condition.Between && p.isVoid() {
		return nil, c.mistake(t, 1, "write the earlier time first: between A and B")
	}
	return newLeaf(f, f.Needs, cheap, func(_ *state, e *entry.Entry) bool {
		at, ok := f.Moment(e)
		return ok && p.holds(at)
	}).needing(momentNeed(f, p)), nil
}

func (c *compiler) age(t *condition.Test) (*part, error) {
	p := periodOf(c.env, t)
	if t.Op == condition.Between && p.isVoid() {
		return nil, c.mistake(t, 1, "write the shorter time first: between A and B")
	}
	since := t.Field.Since
	return newLeaf(t.Field, since.Needs, cheap, func(_ *state, e *entry.Entry) bool {
		at, ok := since.Moment(e)
		return ok && p.holds(at)
	}).needing(momentNeed(since, p)), nil
}

func (c *compiler) mode(t *condition.Test) (*part, error) {
	wanted := t.Values[0].Bits
	holds := map[condition.Op]func(entry.Permissions) bool{
		condition.Is:    func(p entry.Permissions) bool { return p == wanted },
		condition.Has:   func(p entry.Permissions) bool { return p&wanted == wanted },
		condition.AnyOf: func(p entry.Permissions) bool { return p&wanted != 0 },
		condition.Lacks: func(p entry.Permissions) bool { return p&wanted == 0 },
	}[t.Op]
	f := t.Field
	return newLeaf(f, f.Needs, cheap, func(s *state, e *entry.Entry) bool {
		bits, ok := f.Number(e, s.context)
		return ok && holds(entry.Permissions(bits))
	}), nil
}

// mistake is an error at a value of a test.
func (c *compiler) mistake(t *condition.Test, value int, format string, args ...any) error {
	v := t.Values[value]
	return c.condition.Script.Mistake(v.Pos, v.Length, format, args...)
}
