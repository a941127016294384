package condition

import (
	"strings"

	"frankledger/core/entry"
)

// Node is a condition or a part of one. It prints itself in the normal form,
// which parses to the same node.
type Node interface {
	String() string
	binds() int // how tightly; what binds less needs parentheses inside what binds more
}

// All is met by what meets all of its parts, Any by what meets one of them.
type (
	All  []Node
	Any  []Node
	Not  struct{ Node Node }
	Flag struct{ Field *entry.Field } // a single word, such as empty
)

// Valued is met by what has a value of a field, or by what has none.
type Valued struct {
	Field   *entry.Field
	Missing bool
}

// Words after a field that ask whether it has a value.
const (
	missingWord = "missing"
	presentWord = "present"
)

// Test is a field compared with values.
type Test struct {
	Field  *entry.Field
	Op     Op
	Values []Value
}

// Value is a value as it was written, and what it was read as: which of that there is
// depends on the type of the field.
type Value struct {
	Text   string
	Pos    int // where it stands in the condition, in bytes
	Length int

	Words      []string // of a field with lists
	Rank       uint64   // of a number or bytes; see entry.Field.Rank
	Bits       entry.Permissions
	Span, Unit span
	When       when
}

// Op is what a test asks of a field.
type Op string

const (
	Is      Op = "is"
	Has     Op = "has"
	Starts  Op = "starts"
	Ends    Op = "ends"
	Like    Op = "like"
	Matches Op = "matches"
	Over    Op = "over"
	Under   Op = "under"
	AtLeast Op = "at least"
	AtMost  Op = "at most"
	Between Op = "between"
	Within  Op = "within"
	Before  Op = "before"
	After   Op = "after"
	Since   Op = "since"
	On      Op = "on"
	AnyOf   Op = "any"
	Lacks   Op = "lacks"
)

const (
	bindsAny = iota
	bindsAll
	BindsNot
	bindsTest
)

func (All) binds() int  { return bindsAll }
func (Any) binds() int  { return bindsAny }
func (Not) binds() int  { return BindsNot }
func (Flag) binds() int { return bindsTest }

func (Valued) binds() int { return bindsTest }

func (n Valued) String() string {
	if n.Missing {
		return n.Field.Name + " " + missingWord
	}
	return n.Field.Name + " " + presentWord
}

func (*Test) binds() int { return bindsTest }

func (n All) String() string  { return joinNodes(n, " and ", BindsNot) }
func (n Any) String() string  { return joinNodes(n, " or ", bindsAll) }
func (n Not) String() string  { return "not " + Inside(n.Node, BindsNot) }
func (n Flag) String() string { return n.Field.Name }

func (t *Test) String() string {
	text := t.Field.Name + " " + string(t.Op) + " " + t.value(0)
	if t.Op == Between {
		text += " and " + t.value(1)
	}
	return text
}

// value prints a value: times and lengths of time are several words, all other
// values one.
func (t *Test) value(i int) string {
	text := t.Values[i].Text
	if t.Field.Type == entry.Moment || t.Field.Type == entry.Span {
		return text
	}
	return quote(text)
}

func joinNodes(nodes []Node, word string, binds int) string {
	parts := make([]string, len(nodes))
	for i, n := range nodes {
		parts[i] = Inside(n, binds)
	}
	return strings.Join(parts, word)
}

// Inside writes a node as a part of another that binds so strongly: in parentheses where it has to be.
func Inside(n Node, binds int) string {
	if n.binds() < binds {
		return opening + n.String() + closing
	}
	return n.String()
}
