package condition

import (
	"slices"
	"sync/atomic"
	"time"

	"frankledger/core/entry"
	"frankledger/core/letters"
	"frankledger/core/source"
)

// Accounts tells names and numbers of users and groups.
type Accounts interface {
	entry.Accounts
	// UserID returns the number of a user name, and whether there is one.
	UserID(name string) (uint32, bool)
	// GroupID returns the number of a group name, and whether there is one.
	GroupID(name string) (uint32, bool)
	// UserNames and GroupNames list the names in the system's own files.
	UserNames() []string
	GroupNames() []string
}

// Environment is what a condition depends on beside the entry.
type Environment struct {
	AsOf      time.Time
	Zone      *time.Location // that calendar days are of
	MatchCase bool
	User      uint32   // who is "me"
	Groups    []uint32 // that "me" is in
	Accounts  Accounts
}

// Program is a condition ready to decide on entries. It implements
// source.Condition.
type Program struct {
	root    *part
	env     *Environment
	context *entry.Context
	steps   []step // with a funnel: the tests in the order written
}

// step is one of the conditions joined by and, and how many entries it and all
// before it let through.
type step struct {
	part *part
	text string
	left atomic.Int64
}

// part is a node made ready. A leaf has a test; the others have parts.
type part struct {
	kind  partKind
	parts []*part
	needs entry.Facts
	cost  int
	test  func(s *state, e *entry.Entry) bool
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

// Test implements source.Condition.
func (p *Program) Test() source.Test {
	s := &state{context: p.context}
	if p.steps == nil {
		return func(e *entry.Entry, asked entry.Facts) source.Verdict {
			s.of = nil
			return p.root.decide(s, e, asked)
		}
	}
	return func(e *entry.Entry, asked entry.Facts) source.Verdict {
		s.of = nil
		for i := range p.steps {
			switch p.steps[i].part.decide(s, e, asked) {
			case source.Open:
				return source.Open
			case source.No:
				p.count(i)
				return source.No
			}
		}
		p.count(len(p.steps))
		return source.Yes
	}
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
}

// Funnel makes the program count how many entries each of the conditions joined
// by and lets through, in the order written. It has to be called before the
// first Test.
func (c *Condition) Funnel(p *Program) error {
	parts := []Node{c.Root}
	if all, is := c.Root.(All); is {
		parts = all
	}
	p.steps = make([]step, len(parts))
	for i, node := range parts {
		made, err := (&compiler{c, p.env}).compile(node)
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
		left = append(left, Left{p.steps[i].text, p.steps[i].left.Load()})
	}
	return left
}

// decide decides as far as the facts that were asked for allow.
func (p *part) decide(s *state, e *entry.Entry, asked entry.Facts) source.Verdict {
	switch p.kind {
	case leaf:
		if p.needs&^asked != 0 {
			return source.Open
		}
		if p.test(s, e) {
			return source.Yes
		}
		return source.No
	case notOf:
		switch p.parts[0].decide(s, e, asked) {
		case source.Yes:
			return source.No
		case source.No:
			return source.Yes
		}
		return source.Open
	}
	settles, verdict := source.No, source.Yes
	if p.kind == anyOf {
		settles, verdict = source.Yes, source.No
	}
	for _, part := range p.parts {
		switch part.decide(s, e, asked) {
		case settles:
			return settles
		case source.Open:
			verdict = source.Open
		}
	}
	return verdict
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
}

// value returns the text of a field as it is compared: in small letters unless case
// matters. As it is, it is in s.raw.
func (s *state) value(f *entry.Field, e *entry.Entry, matchCase bool) ([]byte, bool) {
	if s.of != f {
		s.raw, s.has = f.AppendText(s.raw[:0], e, s.context)
		s.of, s.isFolded = f, false
	}
	if s.has && !s.isFolded {
		s.folded, s.isFolded = letters.Fold(append(s.folded[:0], s.raw...), matchCase), true
	}
	return s.folded, s.has
}
