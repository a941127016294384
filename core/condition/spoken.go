package condition

import (
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// What a person is likely to say is understood too, and shown back in the normal form.

// saying is a way to say what is asked of a field.
type saying struct {
	words string
	op    Op
	not   bool // its opposite is meant
}

// sayings are ways to say operators, by the types of the fields they are of. Those that
// begin others come after these.
var sayings = sync.OnceValue(func() map[entry.Type][]saying {
	return map[entry.Type][]saying{
		entry.Text: {
			{"is any of", Is, false}, {"is one of", Is, false}, {"any of", Is, false}, {"one of", Is, false}, {"in", Is, false},
			{"equal to", Is, false}, {"equals", Is, false}, {"equal", Is, false}, {"are", Is, false}, {"=", Is, false}, {"==", Is, false}, {"!=", Is, true}, {"<>", Is, true}, {"isn't", Is, true}, {"isnt", Is, true},
			{"have", Has, false}, {"contains", Has, false}, {"contain", Has, false}, {"containing", Has, false}, {"includes", Has, false}, {"include", Has, false}, {"with", Has, false}, {"without", Has, true},
			{"starts with", Starts, false}, {"start with", Starts, false}, {"starting with", Starts, false}, {"begins with", Starts, false}, {"beginning with", Starts, false}, {"begins", Starts, false}, {"startswith", Starts, false},
			{"ends with", Ends, false}, {"ends in", Ends, false}, {"end with", Ends, false}, {"ending with", Ends, false}, {"ending in", Ends, false}, {"ending", Ends, false}, {"endswith", Ends, false},
			{"looks like", Like, false}, {"glob", Like, false}, {"wildcard", Like, false}, {"matches regex", Matches, false}, {"regexp", Matches, false}, {"regex", Matches, false}, {"match", Matches, false}, {"=~", Matches, false}, {"~", Matches, false},
		},
		entry.Number: {
			{"greater than or equal to", AtLeast, false}, {"no less than", AtLeast, false}, {"not less than", AtLeast, false}, {"no smaller than", AtLeast, false}, {"minimum", AtLeast, false}, {"min", AtLeast, false}, {">=", AtLeast, false}, {"from", AtLeast, false},
			{"less than or equal to", AtMost, false}, {"no more than", AtMost, false}, {"not more than", AtMost, false}, {"no larger than", AtMost, false}, {"no bigger than", AtMost, false}, {"up to", AtMost, false}, {"maximum", AtMost, false}, {"max", AtMost, false}, {"<=", AtMost, false},
			{"over than", Over, false}, {"greater than", Over, false}, {"larger than", Over, false}, {"bigger than", Over, false}, {"more than", Over, false}, {"older than", Over, false}, {"longer than", Over, false}, {"above", Over, false}, {"exceeding", Over, false}, {"exceeds", Over, false}, {">", Over, false},
			{"greater", Over, false}, {"larger", Over, false}, {"bigger", Over, false}, {"older", Over, false}, {"more", Over, false},
			{"less than", Under, false}, {"smaller than", Under, false}, {"fewer than", Under, false}, {"newer than", Under, false}, {"younger than", Under, false}, {"shorter than", Under, false}, {"below", Under, false}, {"<", Under, false},
			{"less", Under, false}, {"smaller", Under, false}, {"fewer", Under, false}, {"newer", Under, false}, {"younger", Under, false},
			{"equal to", Is, false}, {"equals", Is, false}, {"equal", Is, false}, {"exactly", Is, false}, {"=", Is, false}, {"==", Is, false}, {"!=", Is, true}, {"isn't", Is, true},
		},
		entry.Moment: {
			{"in the last", Within, false}, {"in the past", Within, false}, {"during the last", Within, false}, {"within the last", Within, false}, {"within the past", Within, false}, {"within last", Within, false}, {"in last", Within, false}, {"less than", Within, false},
			{"earlier than", Before, false}, {"older than", Before, false}, {"more than", Before, false}, {"prior to", Before, false}, {"until", Before, false}, {"older", Before, false}, {"<", Before, false},
			{"later than", After, false}, {"newer than", After, false}, {"younger than", After, false}, {"newer", After, false}, {"from", Since, false}, {">=", Since, false}, {">", After, false},
			{"during", On, false}, {"in", On, false}, {"at", On, false}, {"=", On, false}, {"is", On, false},
		},
		entry.Mode: {
			{"have", Has, false}, {"contains", Has, false}, {"includes", Has, false}, {"with", Has, false}, {"any of", AnyOf, false}, {"without", Lacks, false}, {"=", Is, false}, {"==", Is, false}, {"equals", Is, false}, {"!=", Is, true}, {"isn't", Is, true},
		},
	}
})

// sayingsOf returns the ways to say what is asked of a field.
func sayingsOf(f *entry.Field) []saying {
	switch f.Type {
	case entry.Bytes, entry.Span:
		return sayings()[entry.Number]
	}
	return sayings()[f.Type]
}

// acceptAll takes the next tokens if they are these words.
func (p *parser) acceptAll(words string) bool {
	start := p.next
	for word := range strings.FieldsSeq(words) {
		if !p.accept(word) {
			p.next = start
			return false
		}
	}
	return true
}

// acceptAny takes the next token if it is one of these words.
func (p *parser) acceptAny(words ...string) bool {
	return slices.ContainsFunc(words, p.accept)
}

// said notes that something was not in the normal form.
func (p *parser) said() { p.spoken = true }

// bare are tests without a field: what is asked tells which is meant.
var bare = []struct {
	words string
	field string // of a moment, age where a length of time follows
	op    Op
}{
	{"older than", "age", Over}, {"newer than", "age", Under}, {"younger than", "age", Under}, {"bigger than", "size", Over}, {"larger than", "size", Over}, {"greater than", "size", Over}, {"smaller than", "size", Under},
	{"older", "age", Over}, {"newer", "age", Under}, {"bigger", "size", Over}, {"larger", "size", Over}, {"smaller", "size", Under},
	{"in the last", "modified", Within}, {"within", "modified", Within}, {"since", "modified", Since}, {"before", "modified", Before}, {"after", "modified", After}, {"on", "modified", On},
	{"over", "size", Over}, {"under", "size", Under},
}

// bareTest reads a test that names no field, if there is one.
func (p *parser) bareTest() *Test {
	start := p.next
	for _, b := range bare {
		if !p.acceptAll(b.words) {
			continue
		}
		first, more := p.peek()
		if !more {
			break
		}
		test := &Test{Field: entry.FieldNamed(b.field), Op: b.op}
		if b.field == "age" && !p.spanFollows() { // older than 2026, say
			test = &Test{Field: entry.FieldNamed("modified"), Op: map[Op]Op{Over: Before, Under: After}[b.op]}
		}
		if b.field == "size" && !(first.text[:min(1, len(first.text))] >= "0" && first.text[:min(1, len(first.text))] <= "9") {
			break
		}
		p.said()
		p.values(test)
		return test
	}
	p.next = start
	return nil
}

// beginsBare reports whether a test without a field begins here.
func (p *parser) beginsBare() (begins bool) {
	start, spoken, notes, mistakes := p.next, p.spoken, p.notes, p.mistakes
	p.mistakes = 0 // it is only a try
	defer func() {
		if _, wrong := recover().(*Error); wrong {
			begins = false
		}
		p.next, p.spoken, p.notes, p.mistakes = start, spoken, notes, mistakes
	}()
	return p.bareTest() != nil
}

// spanFollows reports whether a length of time follows that is no moment: not ended by
// ago.
func (p *parser) spanFollows() bool {
	start := p.next
	defer func() { p.next = start }()
	first, more := p.take()
	if !more {
		return false
	}
	v := Value{Text: first.text, Pos: first.pos, Length: p.length(first)}
	p.span(&v)
	if _, err := parseSpan(v.Text); err != nil {
		return false
	}
	return !p.accept("ago")
}

// canBegin reports whether a test can begin with a token: then it is no further value of
// the test before.
func (p *parser) canBegin(t token) bool {
	if t.quoted {
		return false
	}
	if t.text == opening || t.text == closing || strings.EqualFold(t.text, "not") {
		return true
	}
	f := entry.FieldSaid(t.text)
	if f == nil {
		return false
	}
	if f.Type == entry.Flag {
		return true
	}
	// A field has something asked of it; alone, the word is a value.
	if p.next+1 >= len(p.tokens) {
		return false
	}
	return !p.tokens[p.next+1].joins()
}

// withFurther reads further values of a test, all after and or all after or: ext is wav or
// mp3 and size over 1MB is (ext is wav or ext is mp3) and size over 1MB.
func (p *parser) withFurther(n Node) Node {
	test, joined := n, ""
	for {
		start := p.next
		switch {
		case joined != "and" && p.accept("or"):
			joined = "or"
		case joined != "or" && p.accept("and"):
			joined = "and"
		default:
			return n
		}
		another, found := p.further(test, joined)
		switch {
		case !found:
			p.next = start
			return n
		case another == nil:
			continue
		case joined == "or":
			n = flatten(Any{n, another})
		default:
			n = flatten(All{n, another})
		}
		test = another
	}
}

// further reads a further value of a test, after and or or: name has dawn or dusk. What it
// returns is another test, or none where the value was added to that one: of several
// values one has to be met, and nothing can be two of them.
func (p *parser) further(n Node, word string) (another Node, found bool) {
	test, negated := n, false
	if not, is := n.(Not); is {
		test, negated = not.Node, true
	}
	t, is := test.(*Test)
	if !is || t.Field.Type != entry.Text || t.Field.Needs&entry.FactDigests != 0 {
		return nil, false
	}
	next, more := p.peek()
	if !more || p.canBegin(next) {
		return nil, false
	}
	if p.next+1 < len(p.tokens) { // it stands alone, or a field is misspelt
		if !p.tokens[p.next+1].joins() {
			return nil, false
		}
	}
	added := t.Op == Is && t.Field.List || t.Op == Has && (word == "or" || negated)
	if !added && negated && word == "or" {
		return nil, false
	}
	p.said()
	v := p.value(t)
	switch {
	case added:
		first := &t.Values[0]
		first.Text += "," + v.Text
		first.Words = append(first.Words, v.Words...)
		first.Length = v.Pos + v.Length - first.Pos
		return nil, true
	case negated:
		return Not{&Test{Field: t.Field, Op: t.Op, Values: []Value{v}}}, true
	}
	return &Test{Field: t.Field, Op: t.Op, Values: []Value{v}}, true
}

func isPattern(word string) bool {
	_, is := source.NewPattern(word)
	return is
}

// WithPieces returns the condition that names have all of some pieces, and that this one is met.
func (c *Condition) WithPieces(words []string) *Condition {
	if len(words) == 0 {
		return c
	}
	joined := *c
	joined.Root, joined.Spoken = flatten(All{Pieces(words).Root, c.Root}), true
	return &joined
}

// Pieces returns the condition that names have all of some pieces, in any order. A piece
// with * ? or [ in it is a pattern.
func Pieces(words []string) *Condition {
	var nodes All
	for _, word := range words {
		op := Has
		switch {
		case strings.ContainsAny(word, "*?[") && isPattern(word):
			op = Like
		case strings.Contains(word, ","): // which has would take for several pieces
			op, word = Like, "*"+strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, "]", `\]`, "{", `\{`, `\`, `\\`).Replace(word)+"*"
		}
		nodes = append(nodes, &Test{Field: entry.FieldNamed("name"), Op: op, Values: []Value{{Text: word, Words: []string{word}}}})
	}
	c := &Condition{Root: nodes, Spoken: true}
	if len(nodes) == 1 {
		c.Root = nodes[0]
	}
	return c
}
