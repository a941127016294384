package condition

import (
	"fmt"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/text"
)

// Condition is a condition that was read and is in order.
type Condition struct {
	Root Node
	// Spoken is set if it was not written in the normal form, but in other words that
	// were understood.
	Spoken bool
	// Notes say what numbers without a full unit were taken for.
	Notes  []string
	Script script
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
func Parse(words []string) (*Condition, error) { return parse(words, mostMistakes) }

// mostMistakes is how many mistakes in one condition are put right together.
const mostMistakes = 4

// parse reads a condition; with so many mistakes at most, each is put right.
func parse(words []string, mistakes int) (*Condition, error) {
	length := 0
	for _, word := range words {
		length += len(word) + 1
	}
	if length > maxLength {
		return nil, &Error{Message: fmt.Sprintf("the condition is too long: %d bytes; at most %d are allowed", length, maxLength)}
	}
	s := lexWords(words)
	if len(words) == 1 {
		var err error
		if s, err = lexText(words[0]); err != nil {
			return nil, err
		}
	}
	s.mistakes = mistakes
	p := &parser{script: s}
	root, err := p.parse()
	if err != nil {
		return nil, err
	}
	return &Condition{root, p.spoken, p.notes, s}, nil
}

// parser reads tokens from left to right. Its methods panic with an *Error,
// which parse returns.
type parser struct {
	script
	next   int
	begun  int // where the test at hand begins
	depth  int
	spoken bool
	notes  []string
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
	panic(p.Mistake(t.pos, p.length(t), format, args...))
}

// meant ends the parsing at the next token, with what was likely meant in its place.
func (p *parser) meant(with []string, format string, args ...any) {
	t, _ := p.peek()
	panic(p.repair(p.Mistake(t.pos, p.length(t), format, args...), with...))
}

func (s *script) Mistake(pos, length int, format string, args ...any) *Error {
	return &Error{Condition: s.text, Pos: pos, Len: length, Message: fmt.Sprintf(format, args...)}
}

// length is how long a token is as shown.
func (s *script) length(t token) int {
	end := len(s.text)
	at, _ := slices.BinarySearchFunc(s.tokens, t.pos+1, func(other token, pos int) int { return other.pos - pos })
	if at < len(s.tokens) {
		end = s.tokens[at].pos
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
	parts := All{p.withFurther(p.not())}
	for p.accept("and") {
		parts = append(parts, p.withFurther(p.not()))
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
		p.fail("too many levels of parentheses: at most %d are allowed", maxDepth)
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
	if p.next+1 < len(p.tokens) && !t.quoted {
		if near := text.Nearest(t.text, []string{"and", "or"}); near != "" && len(t.text) > 1 {
			p.meant([]string{near}, "after a test there can only be: and, or; did you mean %s?", near)
		}
	}
	if field := entry.FieldSaid(t.text); field != nil {
		p.meant([]string{"and " + t.text}, "after a test there can only be: and, or; if %s begins another test, write: and %s", field.Name, field.Name)
	}
	if p.beginsBare() {
		p.meant([]string{"and " + t.text}, "after a test there can only be: and, or; if %s begins another test, write: and %s", t.text, t.text)
	}
	if p.next > 0 {
		p.spaced(t)
	}
	p.fail("after a test there can only be: and, or")
}

// spaced says that a value with spaces goes in quotes, and shows that.
func (p *parser) spaced(t token) {
	e := p.Mistake(t.pos, p.length(t), "after a test there can only be: and, or; a value with spaces goes in quotes")
	before := p.tokens[p.next-1]
	end := p.next
	for end < len(p.tokens) && !p.tokens[end].joins() {
		end++
	}
	if end == p.next {
		panic(e)
	}
	text := before.text
	for _, more := range p.tokens[p.next:end] {
		text += " " + more.text
	}
	if p.words && !before.quoted {
		var pieces, words []string
		for i, t := range p.tokens {
			if i >= p.next && i < end {
				pieces = append(pieces, "and")
			}
			pieces = append(pieces, t.text)
			switch {
			case i == p.next-1:
				words = append(words, text)
			case i < p.next-1 || i >= end:
				words = append(words, t.text)
			}
		}
		repairs := [][]string{words}
		if p.next > 1 && strings.EqualFold(p.tokens[p.next-2].text, string(Has)) { // has dawn chorus
			repairs = [][]string{pieces, words}
		}
		for _, words := range repairs {
			if _, err := parse(words, 0); err == nil && p.mistakes > 0 {
				e.Repairs = append(e.Repairs, words)
			}
		}
	}
	panic(e)
}

// test reads a field and what is asked of it, or a single word.
func (p *parser) test() Node {
	word, ok := p.take()
	p.begun = word.pos
	if !ok {
		e := p.Mistake(len(p.text), 0, "a test is missing here: a field such as name or size, and what it must be")
		if n := len(p.tokens); p.words && n > 1 && p.tokens[n-1].joins() { // it was not meant to go on
			var words []string
			for _, t := range p.tokens[:n-1] {
				words = append(words, t.text)
			}
			if _, err := parse(words, 0); err == nil && p.mistakes > 0 {
				e.Repairs = append(e.Repairs, words)
			}
		}
		panic(e)
	}
	if !word.quoted {
		p.next--
		if test := p.bareTest(); test != nil {
			return test
		}
		if p.acceptAny("is", "are") { // is hidden
			p.said()
			if p.accept("not") {
				return Not{p.test()}
			}
			return p.test()
		}
		p.next++
	}
	field := entry.FieldSaid(word.text)
	if field == nil || word.quoted {
		p.unknownField(word)
	}
	if !strings.EqualFold(field.Name, word.text) {
		p.said()
	}
	if next, more := p.peek(); more && field.Needs&entry.FactText != 0 &&
		(field.Type != entry.Text || strings.EqualFold(next.text, missingWord) || strings.EqualFold(next.text, presentWord)) {
		p.failAt(next, "to look inside files, write text has 'a piece' or text matches PATTERN")
	}
	if p.accept(missingWord) {
		return Valued{field, true}
	}
	if p.accept(presentWord) {
		return Valued{field, false}
	}
	if field.Type == entry.Flag {
		return p.flag(field)
	}
	if day, is := p.day(field); is {
		return day
	}
	if test := p.permissions(field); test != nil {
		return test
	}
	op, negated := p.op(field)
	test := &Test{Field: field, Op: op}
	p.values(test)
	if negated {
		return Not{test}
	}
	return test
}

// permissions reads a test of permissions that is one of the mode: permissions has g+w. It returns nil
// if it is none.
func (p *parser) permissions(field *entry.Field) (test Node) {
	if field.Bits == "" {
		return nil
	}
	start, spoken := p.next, p.spoken
	defer func() {
		if _, wrong := recover().(*Error); wrong || test == nil {
			p.next, p.spoken, test = start, spoken, nil
		}
	}()
	mode := &Test{Field: entry.FieldNamed(field.Bits)}
	var negated bool
	mode.Op, negated = p.op(mode.Field)
	t, more := p.peek()
	if !more || mode.Op == Is && len(t.text) == 9 { // as they are shown
		return nil
	}
	p.values(mode)
	p.said()
	if negated {
		return Not{mode}
	}
	return mode
}

// flag reads what may follow a single word: hidden is no.
func (p *parser) flag(field *entry.Field) Node {
	if !p.acceptAny("is", "=", "==", "are") {
		return Flag{field}
	}
	p.said()
	negated := p.accept("not")
	switch {
	case p.acceptAny("yes", "true", "1"):
	case p.acceptAny("no", "false", "0"):
		negated = !negated
	default:
		p.fail("%s is a word by itself: write %s, or not %s", field.Name, field.Name, field.Name)
	}
	if negated {
		return Not{Flag{field}}
	}
	return Flag{field}
}

// day reads a day right after a field of times: modified today.
func (p *parser) day(field *entry.Field) (Node, bool) {
	if field.Type != entry.Moment {
		return nil, false
	}
	first, more := p.peek()
	if !more || first.quoted {
		return nil, false
	}
	start := p.next
	test := &Test{Field: field, Op: On}
	lower := strings.ToLower(first.text)
	_, err := parseWhen(first.text)
	if lower == nowForm || err != nil && !slices.Contains([]string{"this", "last", "past"}, lower) {
		return nil, false
	}
	if (lower == "last" || lower == "past") && p.next+1 < len(p.tokens) && isNumber(p.tokens[p.next+1].text) {
		p.next++
		test.Op = Within
	}
	p.said()
	p.values(test)
	if p.next == start {
		return nil, false
	}
	return test, true
}

func (p *parser) unknownField(word token) {
	p.next--
	switch lower := strings.ToLower(word.text); {
	case lower == "and" || lower == "or" || word.text == closing:
		p.fail("a test is missing before this word")
	case strings.ContainsAny(word.text, "=<>"):
		p.signs(word)
	}
	if near := text.Nearest(word.text, []string{"not"}); near != "" && len(word.text) == 3 && p.next+1 < len(p.tokens) {
		p.meant([]string{near}, "there is no field %s; did you mean not?", word.text)
	}
	if near := text.Nearest(word.text, entry.FieldNames()); near != "" {
		p.meant([]string{near, "name has " + word.text}, "there is no field %s; did you mean %s?", word.text, near)
	}
	piece := "name has "
	if strings.ContainsAny(word.text, "*?[") {
		piece = "name like "
	}
	p.meant([]string{piece + word.text}, "there is no field %s; \"frank fields\" lists them. To look for a piece of a name: %s%s", word.text, piece, quote(word.text))
}

// op reads what is asked of the field, and whether its opposite is meant.
func (p *parser) op(field *entry.Field) (op Op, negated bool) {
	start := p.next
	if p.acceptAny("does", "do") && p.accept("not") || p.acceptAny("doesn't", "doesnt", "don't") {
		negated = true
	} else if p.next = start; p.accept("not") {
		negated = true
	}
	ops := OpsOf(field)
	if op, found := p.accepted(ops); found {
		if negated {
			p.said()
		}
		if op == Is && !negated && p.accept("not") { // is not
			negated = true
			p.said()
		}
		if op == Is && field.Type == entry.Text {
			if p.acceptAll("any of") || p.acceptAll("one of") || p.accept("in") {
				p.said()
			}
		}
		if op != Is && !negated && field.Type == entry.Text && p.valueAfterNext() && p.accept("not") { // has not
			negated = true
			p.said()
		}
		if op == Is { // is over 10MB
			if other, found := p.otherOp(field, ops); found {
				return other, negated
			}
		}
		if op == Has && field.Type == entry.Text && p.acceptAll("any of") {
			p.said()
		}
		if (op == Starts || op == Ends) && p.valueAfterNext() && p.acceptAny("with", "in") {
			p.said()
		}
		if field.Type == entry.Number || field.Type == entry.Bytes || field.Type == entry.Span {
			if (op == Over || op == Under) && p.accept("than") {
				p.said()
			}
		}
		return op, negated
	}
	if p.acceptAny("is", "are", "was") { // modified is within 7 days
		if p.accept("not") {
			negated = !negated
		}
		if other, found := p.otherOp(field, ops); found {
			p.said()
			return other, negated
		}
		p.next--
	}
	for _, s := range sayingsOf(field) {
		if p.acceptAll(s.words) {
			p.said()
			return s.op, negated != s.not
		}
	}
	if negated && field.Type == entry.Text { // owner not me
		p.said()
		return Is, true
	}
	p.next = start
	p.noOp(field, ops)
	return "", false
}

// valueAfterNext reports whether a value can follow the next token.
func (p *parser) valueAfterNext() bool {
	return p.next+1 < len(p.tokens) && !p.tokens[p.next+1].joins()
}

// otherOp reads an operator after is, which says no more.
func (p *parser) otherOp(field *entry.Field, ops []Op) (Op, bool) {
	start := p.next
	if t, more := p.peek(); !more || t.quoted || p.next+1 >= len(p.tokens) {
		return "", false
	}
	for _, op := range ops {
		if op == Is {
			continue
		}
		if found, is := p.accepted([]Op{op}); is {
			p.said()
			p.accept("than")
			if field.Type != entry.Text || p.next < len(p.tokens) && !p.tokens[p.next].joins() {
				return found, true
			}
		}
	}
	p.next = start
	if field.Type != entry.Text {
		for _, s := range sayingsOf(field) {
			if s.op != Is && p.acceptAll(s.words) {
				p.said()
				return s.op, true
			}
		}
	}
	return "", false
}

// accepted takes an operator, if one follows.
func (p *parser) accepted(ops []Op) (Op, bool) {
	for _, op := range ops {
		if p.acceptAll(string(op)) {
			return op, true
		}
	}
	return "", false
}

// noOp says what can be asked of the field.
func (p *parser) noOp(field *entry.Field, ops []Op) {
	word, more := p.peek()
	list := make([]string, len(ops))
	for i, op := range ops {
		list[i] = string(op)
	}
	can := fmt.Sprintf("%s can be tested with: %s", field.Name, strings.Join(list, ", "))
	if !more {
		p.fail("%s", can)
	}
	if at := strings.IndexAny(word.text, "0123456789"); at > 0 && slices.Contains(list, strings.ToLower(word.text[:at])) { // over90
		p.meant([]string{word.text[:at] + " " + word.text[at:]}, "a space is missing after %s", word.text[:at])
	}
	if near := text.Nearest(word.text, list); near != "" {
		p.meant([]string{near}, "did you mean %s? %s", near, can)
	}
	if len(p.tokens) == p.next+1 || p.tokens[p.next+1].joins() { // only the operator is missing
		p.meant([]string{list[0] + " " + word.text}, "%s", can)
	}
	p.fail("%s", can)
}

// signs says that conditions are words, and writes one so.
func (p *parser) signs(word token) {
	const message = "conditions use words, not signs: write size over 10MB, or ext is wav"
	at := strings.IndexAny(word.text, "=<>!")
	end := at
	for end < len(word.text) && strings.ContainsRune("=<>!~", rune(word.text[end])) {
		end++
	}
	if field := entry.FieldSaid(word.text[:at]); field != nil && field.Type != entry.Flag {
		for _, s := range sayingsOf(field) {
			if s.words == word.text[at:end] {
				op := string(s.op)
				if s.not {
					op = "not " + op
				}
				p.meant([]string{field.Name + " " + op + " " + word.text[end:]}, message)
			}
		}
	}
	p.fail(message)
}

// OpsOf lists what can be asked of a field that is no single word.
func OpsOf(field *entry.Field) []Op {
	switch field.Type {
	case entry.Text:
		if field.Needs&entry.FactDigests != 0 {
			return []Op{Is}
		}
		if field.Needs&entry.FactText != 0 {
			return []Op{Has, Matches}
		}
		return []Op{Is, Has, Starts, Ends, Like, Matches}
	case entry.Moment:
		return []Op{Within, Since, Before, After, On, Between}
	case entry.Mode:
		return []Op{Is, Has, AnyOf, Lacks}
	}
	return []Op{Is, Over, Under, AtLeast, AtMost, Between}
}
