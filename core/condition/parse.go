package condition

import (
	"fmt"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/similar"
)

// Condition is a condition that was read and is in order.
type Condition struct {
	Root   Node
	script script
}

// String returns the normal form.
func (c *Condition) String() string { return c.Root.String() }

// The longest condition that is read, and how deep parentheses may go.
const (
	maxLength = 1 << 16
	maxDepth  = 200
)

// Parse reads a condition from shell words. A single word is a condition in one
// piece, unless it is the name of a flag. The error is an *Error.
func Parse(words []string) (*Condition, error) {
	length := 0
	for _, word := range words {
		length += len(word) + 1
	}
	if length > maxLength {
		return nil, &Error{Message: fmt.Sprintf("the condition is too long: %d bytes, and %d are the most", length, maxLength)}
	}
	s := lexWords(words)
	if len(words) == 1 {
		var err error
		if s, err = lexText(words[0]); err != nil {
			return nil, err
		}
	}
	p := &parser{script: s}
	root, err := p.parse()
	if err != nil {
		return nil, err
	}
	return &Condition{root, s}, nil
}

// parser reads tokens from left to right. Its methods panic with an *Error,
// which parse returns.
type parser struct {
	script
	next  int
	depth int
}

func (p *parser) parse() (root Node, err error) {
	defer func() {
		switch r := recover().(type) {
		case nil:
		case *Error:
			err = r
		default:
			panic(r) // it is not the parser's
		}
	}()
	if len(p.tokens) == 0 {
		p.fail("a condition is missing, such as: name has dawn")
	}
	root = p.any()
	if t, more := p.peek(); more {
		p.unexpected(t)
	}
	return root, nil
}

func (p *parser) peek() (token, bool) {
	if p.next < len(p.tokens) {
		return p.tokens[p.next], true
	}
	return token{pos: len(p.text)}, false
}

func (p *parser) take() (token, bool) {
	t, ok := p.peek()
	if ok {
		p.next++
	}
	return t, ok
}

// accept takes the next token if it is that word.
func (p *parser) accept(word string) bool {
	t, ok := p.peek()
	if ok && !t.quoted && strings.EqualFold(t.text, word) {
		p.next++
		return true
	}
	return false
}

// fail ends the parsing at the next token.
func (p *parser) fail(format string, args ...any) {
	t, _ := p.peek()
	p.failAt(t, format, args...)
}

func (p *parser) failAt(t token, format string, args ...any) {
	panic(p.mistake(t.pos, p.length(t), format, args...))
}

func (s *script) mistake(pos, length int, format string, args ...any) *Error {
	return &Error{Condition: s.text, Pos: pos, Len: length, Message: fmt.Sprintf(format, args...)}
}

// length is how long a token is as shown.
func (s *script) length(t token) int {
	end := len(s.text)
	for _, other := range s.tokens {
		if other.pos > t.pos {
			end = min(end, other.pos)
		}
	}
	return len(strings.TrimRight(s.text[t.pos:end], " \t\n"))
}

func (p *parser) any() Node {
	parts := Any{p.all()}
	for p.accept("or") {
		parts = append(parts, p.all())
	}
	if len(parts) == 1 {
		return parts[0]
	}
	return flatten(parts)
}

func (p *parser) all() Node {
	parts := All{p.not()}
	for p.accept("and") {
		parts = append(parts, p.not())
	}
	if len(parts) == 1 {
		return parts[0]
	}
	return flatten(parts)
}

// flatten takes parentheses out that mean nothing, as in a and (b and c).
func flatten[List All | Any](parts List) Node {
	var flat List
	for _, part := range parts {
		if inner, same := any(part).(List); same {
			flat = append(flat, inner...)
		} else {
			flat = append(flat, part)
		}
	}
	return any(flat).(Node)
}

func (p *parser) not() Node {
	if p.depth++; p.depth > maxDepth {
		p.fail("this goes too deep: %d levels are the most", maxDepth)
	}
	defer func() { p.depth-- }()
	if p.accept("not") {
		return Not{p.not()}
	}
	if p.accept(opening) {
		inner := p.any()
		if !p.accept(closing) {
			t, more := p.peek()
			if !more {
				p.fail("a ) is missing")
			}
			p.unexpected(t)
		}
		return inner
	}
	return p.test()
}

// unexpected says what can follow a complete test, and why something else may
// be there.
func (p *parser) unexpected(t token) {
	switch {
	case t.text == closing && !t.quoted:
		p.fail("there is no ( for this )")
	case p.words && p.next > 0 && strings.Contains(t.text, ".") && strings.Contains(p.tokens[p.next-1].text, "."):
		_, ext := entry.SplitName(t.text)
		remedy := "put the pattern in quotes"
		if _, same := entry.SplitName(p.tokens[p.next-1].text); same == ext && ext != "" {
			remedy += ", or write: ends ." + ext + ", which needs no wildcard"
		}
		p.fail("the shell seems to have turned a pattern into several names already; %s", remedy)
	}
	hint := ""
	if field := entry.FieldNamed(t.text); field != nil {
		hint = fmt.Sprintf("; if %s begins another test, write: and %s", field.Name, field.Name)
	} else if p.next > 0 {
		hint = "; a value with spaces goes in quotes"
	}
	p.fail("after a test there can only be: and, or%s", hint)
}

// test reads a field and what is asked of it, or a single word.
func (p *parser) test() Node {
	word, ok := p.take()
	if !ok {
		p.fail("a test is missing here: a field such as name or size, and what it must be")
	}
	field := entry.FieldNamed(word.text)
	if field == nil || word.quoted {
		p.unknownField(word)
	}
	if field.Type == entry.Flag {
		return Flag{field}
	}
	test := &Test{Field: field, Op: p.op(field)}
	p.values(test)
	return test
}

func (p *parser) unknownField(word token) {
	p.next--
	switch lower := strings.ToLower(word.text); {
	case lower == "and" || lower == "or" || word.text == closing:
		p.fail("a test is missing before this word")
	case strings.ContainsAny(word.text, "=<>"):
		p.fail("conditions are words, without signs: write, say, size over 10MB, or ext is wav")
	}
	if near := similar.Nearest(word.text, entry.FieldNames()); near != "" {
		p.fail("there is no field %s; did you mean %s?", word.text, near)
	}
	p.fail("there is no field %s; \"frank fields\" lists them. To look for a piece of a name: name has %s", word.text, quote(word.text))
}

// slips are words from elsewhere, and what they are called here.
var slips = map[string]Op{
	"=": Is, "==": Is, "equals": Is, "equal": Is, "are": Is, "in": Is, ">": Over, "<": Under, ">=": AtLeast, "<=": AtMost, "~": Matches, "=~": Matches,
	"contains": Has, "contain": Has, "includes": Has, "containing": Has, "begins": Starts, "startswith": Starts, "endswith": Ends, "ending": Ends,
	"above": Over, "greater": Over, "larger": Over, "bigger": Over, "more": Over, "exceeds": Over, "below": Under, "less": Under, "smaller": Under,
	"since": After, "newer": After, "older": Before, "until": Before, "last": Within, "regex": Matches, "regexp": Matches, "match": Matches, "glob": Like, "wildcard": Like,
}

// op reads what is asked of the field.
func (p *parser) op(field *entry.Field) Op {
	ops := OpsOf(field)
	for _, op := range ops {
		first, second, two := strings.Cut(string(op), " ")
		start := p.next
		if p.accept(first) && (!two || p.accept(second)) {
			return op
		}
		p.next = start
	}
	word, more := p.peek()
	list := make([]string, len(ops))
	for i, op := range ops {
		list[i] = string(op)
	}
	can := fmt.Sprintf("%s can be asked: %s", field.Name, strings.Join(list, ", "))
	if !more {
		p.fail("%s", can)
	}
	lower := strings.ToLower(word.text)
	if strings.HasPrefix(lower, "!") || lower == "not" || lower == "isn't" {
		p.fail("not stands before the field: not %s is …", field.Name)
	}
	if slip, known := slips[lower]; known && slices.Contains(ops, slip) {
		p.fail("write %s instead of %s", slip, word.text)
	}
	if near := similar.Nearest(word.text, list); near != "" {
		p.fail("did you mean %s? %s", near, can)
	}
	p.fail("%s", can)
	return ""
}

// OpsOf lists what can be asked of a field that is no single word.
func OpsOf(field *entry.Field) []Op {
	switch field.Type {
	case entry.Text:
		if field.Needs&entry.FactDigests != 0 {
			return []Op{Is}
		}
		return []Op{Is, Has, Starts, Ends, Like, Matches}
	case entry.Moment:
		return []Op{Within, Before, After, On, Between}
	case entry.Mode:
		return []Op{Is, Has, AnyOf, Lacks}
	}
	return []Op{Is, Over, Under, AtLeast, AtMost, Between}
}
