package compile

import (
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/text"
	"frankledger/core/textfile"
)

// Program is a condition ready to decide on entries. It implements
// source.Condition.
type Program struct {
	root    *part
	env     *condition.Environment
	context *entry.Context
	texts   *texts
	steps   []step // with a funnel: the tests in the order written

	mu     sync.Mutex
	states []*state // of all tests
}

// step is one of the conditions joined by and, and how many entries it and all
// before it let through.
type step struct {
	part *part
	text string
	left atomic.Int64
	open atomic.Int64 // of how many of these it is not known whether they meet it
}

// part is a node made ready. A leaf has a test; the others have parts.
type part struct {
	kind  partKind
	parts []*part
	field *entry.Field // of a leaf
	needs entry.Facts
	cost  int
	test  func(s *state, e *entry.Entry) bool
	// doubted reports whether an entry that does not meet a leaf may meet it all the same; nil for never.
	doubted func(*entry.Entry) bool
	// needed is what entries that meet a leaf have among them; nil for nothing.
	needed source.Need
}

// needing is the leaf with what it needs.
func (p *part) needing(need source.Need) *part {
	p.needed = need
	return p
}

type partKind uint8

const (
	leaf partKind = iota
	allOf
	anyOf
	notOf
)

// Needs implements source.Condition.
func (p *Program) Needs() entry.Facts { return p.root.needs }

// Sought returns what the condition looks for in files; nil for nothing.
func (p *Program) Sought() *textfile.Sought {
	if len(p.texts.numbers) == 0 {
		return nil
	}
	return p.texts.sought
}

// Lasting reports whether an entry that meets the condition met it whenever it was there.
func (p *Program) Lasting() bool { return p.root.lasting() }

func (p *part) lasting() bool {
	if p.kind == leaf {
		return p.field.Lasting
	}
	return !slices.ContainsFunc(p.parts, func(inner *part) bool { return !inner.lasting() })
}

// Test implements source.Condition.
func (p *Program) Test() source.Test {
	s := &state{context: p.context}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.states = append(p.states, s)
	decide := p.root.decide
	if p.steps != nil {
		decide = p.decideInSteps
	}
	return func(e *entry.Entry, asked entry.Facts) source.Verdict {
		s.of = nil
		verdict := decide(s, e, asked)
		if verdict == source.Unknown {
			s.unknown, s.noted = s.unknown+1, s.noted[:0]
			p.root.untold(s, e, asked)
		}
		return verdict
	}
}

// decideInSteps counts how far an entry gets.
func (p *Program) decideInSteps(s *state, e *entry.Entry, asked entry.Facts) source.Verdict {
	verdict, passed := source.Yes, len(p.steps)
	for i := range p.steps {
		switch p.steps[i].part.decide(s, e, asked) {
		case source.Open:
			return source.Open
		case source.No:
			p.count(min(i, passed))
			return source.No
		case source.Unknown:
			verdict, passed = source.Unknown, min(i, passed)
		}
	}
	p.count(passed)
	if verdict == source.Unknown {
		p.steps[passed].open.Add(1)
	}
	return verdict
}

// TakeUntold implements source.Doubting.
func (p *Program) TakeUntold() (entries int64, fields []source.Untold) {
	p.mu.Lock()
	defer p.mu.Unlock()
	counts := map[*entry.Field]int64{}
	for _, s := range p.states {
		entries += s.unknown
		for f, n := range s.untold {
			counts[f] += n
		}
	}
	p.states = nil
	for f, n := range counts {
		fields = append(fields, source.Untold{Field: f, Entries: n})
	}
	slices.SortFunc(fields, func(a, b source.Untold) int { return strings.Compare(a.Field.Name, b.Field.Name) })
	return entries, fields
}

// count notes that an entry got through the first n steps.
func (p *Program) count(n int) {
	for i := range n {
		p.steps[i].left.Add(1)
	}
}

// Left is how many entries a condition and all before it let through.
type Left struct {
	Condition string
	Entries   int64
	Unknown   int64 // of how many that got as far it is not known whether they meet it
}

// Funnel makes the program count how many entries each of the conditions joined
// by and lets through, in the order written. It has to be called before the
// first Test.
func Funnel(c *condition.Condition, p *Program) error {
	parts := []condition.Node{c.Root}
	if all, is := c.Root.(condition.All); is {
		parts = all
	}
	p.steps = make([]step, len(parts))
	for i, node := range parts {
		made, err := (&compiler{c, p.env, p.texts}).compile(node)
		if err != nil {
			return err
		}
		p.steps[i].part, p.steps[i].text = made, node.String()
	}
	return nil
}

// Left returns how many entries each condition let through, if the program
// counts them.
func (p *Program) Left() []Left {
	var left []Left
	for i := range p.steps {
		left = append(left, Left{p.steps[i].text, p.steps[i].left.Load(), p.steps[i].open.Load()})
	}
	return left
}

// decide decides as far as the facts that were asked for allow, by the three-valued logic of SQL
// (ISO/IEC 9075): what is not known is neither met nor not met.
func (p *part) decide(s *state, e *entry.Entry, asked entry.Facts) source.Verdict {
	switch p.kind {
	case leaf:
		switch {
		case p.needs&^asked != 0:
			return source.Open
		case (e.Known&p.needs != p.needs || e.Marks&entry.MarkUnsized != 0) && !p.field.Knows(e):
			return source.Unknown
		case p.test(s, e):
			return source.Yes
		case e.Kind == entry.KindUnknown && p.field == condition.KindField: // it may be of any
			return source.Unknown
		case p.doubted != nil && p.doubted(e):
			return source.Unknown
		}
		return source.No
	case notOf:
		switch verdict := p.parts[0].decide(s, e, asked); verdict {
		case source.Yes:
			return source.No
		case source.No:
			return source.Yes
		default:
			return verdict
		}
	}
	settles, verdict := source.No, source.Yes
	if p.kind == anyOf {
		settles, verdict = source.Yes, source.No
	}
	for _, part := range p.parts {
		switch is := part.decide(s, e, asked); is {
		case settles:
			return settles
		case source.Open:
			verdict = source.Open
		case source.Unknown:
			if verdict != source.Open {
				verdict = source.Unknown
			}
		}
	}
	return verdict
}

// untold notes which fields leave it open whether an entry meets the part.
func (p *part) untold(s *state, e *entry.Entry, asked entry.Facts) {
	if p.decide(s, e, asked) != source.Unknown {
		return
	}
	if p.kind != leaf {
		for _, inner := range p.parts {
			inner.untold(s, e, asked)
		}
		return
	}
	if slices.Contains(s.noted, p.field) {
		return
	}
	s.noted = append(s.noted, p.field)
	if s.untold == nil {
		s.untold = map[*entry.Field]int64{}
	}
	s.untold[p.field]++
}

// join makes a part of several, the cheapest first.
func join(kind partKind, parts ...*part) *part {
	p := &part{kind: kind, parts: parts}
	for _, inner := range parts {
		p.needs |= inner.needs
		p.cost = max(p.cost, inner.cost)
	}
	slices.SortStableFunc(p.parts, func(a, b *part) int { return a.cost - b.cost })
	return p
}

// stage is the number of the stage, from 1, at which all needed facts are
// there; 0 if none are needed.
func stage(needs entry.Facts) int {
	for i := len(source.Stages) - 1; i >= 0; i-- {
		if needs&source.Stages[i] != 0 {
			return i + 1
		}
	}
	return 0
}

// state is the memory of one goroutine's test.
type state struct {
	context  *entry.Context
	of       *entry.Field // whose value of the entry at hand raw is; nil for none yet
	has      bool         // whether the entry has one
	raw      []byte
	folded   []byte // raw as it is compared, if isFolded
	isFolded bool
	room     []byte

	unknown int64 // entries of which it is not known whether they meet the condition
	untold  map[*entry.Field]int64
	noted   []*entry.Field // of the entry at hand
}

// value returns the text of a field as it is compared: in small letters unless case
// matters. As it is, it is in s.raw.
func (s *state) value(f *entry.Field, e *entry.Entry, matchCase bool) ([]byte, bool) {
	if s.of != f {
		s.raw, s.has = f.AppendText(s.raw[:0], e, s.context)
		s.of, s.isFolded = f, false
	}
	if s.has && !s.isFolded {
		s.folded, s.isFolded = text.Fold(append(s.folded[:0], s.raw...), matchCase), true
	}
	return s.folded, s.has
}

// fromHere returns a path from a place as it is written in the folder of that place.
func (s *state) fromHere(relative []byte) []byte {
	s.room = append(append(s.room[:0], here...), relative...)
	return s.room
}
