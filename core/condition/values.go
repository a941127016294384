package condition

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/text"
)

// values reads what a field is compared with, and checks all that can be
// checked without knowing the moment and the person.
func (p *parser) values(test *Test) {
	if test.Op == Between && p.both(test) {
		return
	}
	test.Values = append(test.Values, p.value(test))
	if test.Op == Between {
		if !p.accept("and") {
			p.fail("between takes two values: between A and B")
		}
		test.Values = append(test.Values, p.value(test))
	}
}

// both reads two numbers in one word: between 1MB-5MB.
func (p *parser) both(test *Test) bool {
	t, more := p.peek()
	if !more || test.Field.Type != entry.Bytes && test.Field.Type != entry.Number {
		return false
	}
	least, greatest, two := strings.Cut(t.text, "-")
	if !two || !sameUnits(least, greatest) { // between 1 and 5MB, of what is the 1?
		return false
	}
	var values []Value
	for _, text := range []string{least, greatest} {
		v := Value{Text: text, Pos: t.pos, Length: p.length(t)}
		if err := readNumber(test.Field, &v); err != nil {
			return false
		}
		values = append(values, v)
	}
	p.next++
	p.said()
	test.Values = values
	return true
}

// sameUnits reports whether of two sizes both have a unit, or neither.
func sameUnits(a, b string) bool {
	bare := func(text string) bool { return strings.Trim(text, "0123456789.") == "" }
	return bare(a) == bare(b)
}

// readNumber reads a number, or a size that has its full unit or none.
func readNumber(f *entry.Field, v *Value) (err error) {
	var n int64
	if f.Type == entry.Number {
		v.Rank, err = strconv.ParseUint(v.Text, 10, 64)
		return err
	}
	n, full, err := parseBytes(v.Text)
	if v.Rank = f.Rank(n); full != "" {
		v.Text = full
	}
	return err
}

func (p *parser) value(test *Test) Value {
	first, ok := p.take()
	if !ok || !first.quoted && (first.text == opening && !p.words || first.text == closing) {
		if ok {
			p.next--
		}
		p.fail("a value is missing: %s %s …", test.Field.Name, test.Op)
	}
	v := Value{Text: first.text, Pos: first.pos, Length: p.length(first)}
	if err := p.read(test, &v, first); err != nil {
		e := p.Mistake(v.Pos, v.Length, "%s", err)
		var other *wrongValue
		switch {
		case errors.As(err, &other) && other.test != "":
			whole := p.Mistake(p.begun, v.Pos+v.Length-p.begun, "%s", err)
			e.Repairs = p.repair(whole, other.test).Repairs
		case other != nil:
			p.repair(e, other.with...)
		}
		panic(e)
	}
	return v
}

// read reads a value that begins with a token, by the type of the field.
func (p *parser) read(test *Test, v *Value, first token) (err error) {
	switch test.Field.Type {
	case entry.Text:
		if test.Field.List && test.Op == Is || test.Op == Has {
			for strings.HasSuffix(v.Text, ",") {
				more, ok := p.take()
				if !ok {
					p.fail("another value should follow the comma")
				}
				p.extend(v, more, "")
			}
		}
		if v.Words = []string{v.Text}; test.Field.List || test.Op == Has {
			v.Words = strings.Split(v.Text, ",")
		}
		if test.Op == Is && test.Field.Aliases != nil {
			p.alias(test.Field, v)
		}
		return checkText(test, v)
	case entry.Bytes:
		if plain := plainNumber(v.Text); plain != v.Text {
			p.said()
			first.text, v.Text = plain, plain
		}
		if next, more := p.peek(); more && isNumber(first.text) && isSizeUnit(next.text) {
			p.next++
			p.extend(v, next, "")
		} else if more && isNumber(first.text) && !next.joins() {
			p.extend(v, next, "")
		}
		var n int64
		var full string
		if n, full, err = parseBytes(v.Text); full != "" {
			p.said()
			p.notes = append(p.notes, fmt.Sprintf("%s is taken as %s: %d bytes", v.Text, full, n))
			v.Text = full
		}
		v.Rank = test.Field.Rank(n)
	case entry.Number:
		if v.Rank, err = strconv.ParseUint(v.Text, 10, 64); err != nil {
			err = fmt.Errorf("%s takes a whole number, not %s", test.Field.Name, v.Text)
		}
	case entry.Mode:
		if test.Op == Is {
			v.Bits, err = parseMode(v.Text)
		} else {
			v.Bits, err = parseBits(v.Text)
		}
	case entry.Span:
		p.span(v)
		v.Span, v.Unit, err = parseSpanUnit(v.Text)
	case entry.Moment:
		err = p.moment(test, v)
	}
	return err
}

// inThousands is a number whose digits are in groups of three, with a unit or without; a size may
// have a space before its unit.
var inThousands = lazily(`^(\d{1,3}(?:,\d{3})+)(.*)$`)

// plainNumber is a size as it is read: without commas between thousands and spaces.
func plainNumber(text string) string {
	if grouped := inThousands().FindStringSubmatch(text); grouped != nil {
		text = strings.ReplaceAll(grouped[1], ",", "") + grouped[2]
	}
	return strings.ReplaceAll(text, " ", "")
}

// lazily compiles a pattern when it is first asked for.
func lazily(pattern string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(pattern) })
}

// alias puts the words of the field in the place of others.
func (p *parser) alias(f *entry.Field, v *Value) {
	var words []string
	for _, word := range v.Words {
		if is, known := f.Aliases[strings.ToLower(word)]; known {
			p.said()
			words = append(words, strings.Split(is, ",")...)
		} else {
			words = append(words, word)
		}
	}
	v.Words = words
	v.Text = strings.Join(words, ",")
}

// extend makes the next token part of a value.
func (p *parser) extend(v *Value, next token, between string) {
	v.Text += between + next.text
	v.Length = next.pos + p.length(next) - v.Pos
}

func isNumber(text string) bool {
	_, err := strconv.ParseFloat(text, 64)
	return err == nil && strings.Trim(text, "0123456789.") == ""
}

// checkText checks what can be wrong with a value of text.
func checkText(test *Test, v *Value) error {
	f, value := test.Field, v.Text
	switch {
	case f.Needs&entry.FactDigests != 0:
		return checkDigest(f.Name, value)
	case test.Op == Matches:
		if _, err := regexp.Compile(value); err != nil {
			if _, is := source.NewPattern(value); is && f.Needs&entry.FactText == 0 {
				return wrongTest(f.Name+" like "+quote(value), "not a regular expression (RE2), but a pattern: %s like %s", f.Name, quote(value))
			}
			return fmt.Errorf("not a regular expression (RE2): %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		}
	case test.Op == Like:
		if _, is := source.NewPattern(value); !is {
			return errors.New("not a pattern: * stands for anything, ? for one character, [a-z] for one of these")
		}
	case test.Op == Is && f.Words != nil:
		for _, word := range v.Words {
			if !slices.Contains(f.Words, strings.ToLower(word)) {
				if near := text.Nearest(word, f.Words); near != "" {
					words := slices.Clone(v.Words)
					words[slices.Index(words, word)] = near
					return wrong([]string{strings.Join(words, ",")}, "there is no %s %s; did you mean %s?", f.Name, word, near)
				}
				return fmt.Errorf("there is no %s %s; %ss are %s", f.Name, word, f.Name, strings.Join(f.Words, ", "))
			}
		}
	case value == "" && test.Op != Is:
		return fmt.Errorf("%s takes some text", test.Op)
	}
	if test.Op == Has && slices.Contains(v.Words, "") {
		return fmt.Errorf("there is nothing between two commas; a comma in text is found by: %s like *,*", f.Name)
	}
	if test.Op == Is && f.Other != nil {
		if other, meant, why := f.Other(value); other != "" {
			other += " " + quote(meant)
			return wrongTest(other, "%s; write: %s", why, other)
		}
	}
	if test.Op == Is && f.Mistake != nil {
		if meant, err := f.Mistake(value); err != nil {
			if meant == "" {
				return err
			}
			return wrong([]string{meant}, "%s", err)
		}
	}
	if f.List && test.Op == Is && slices.Contains(v.Words, "") {
		return errors.New("there is nothing between two commas")
	}
	return nil
}

// leastDigits is how much of a digest must be given.
const leastDigits = 8

func checkDigest(algorithm, text string) error {
	a, err := entry.LookupAlgorithm(algorithm)
	switch {
	case err != nil:
		return err
	case strings.Trim(strings.ToLower(text), "0123456789abcdef") != "":
		return fmt.Errorf("a digest has hexadecimal digits, 0 to 9 and a to f")
	case len(text) < leastDigits:
		return fmt.Errorf("give at least %d digits of the digest, not %d", leastDigits, len(text))
	case len(text) > a.Digits:
		return fmt.Errorf("a digest of %s has %d digits, and these are %d", algorithm, a.Digits, len(text))
	}
	return nil
}

// parseMode reads all permission bits: in octal, as nine characters, or what
// clauses such as u=rw,g=r give.
func parseMode(text string) (entry.Permissions, error) {
	if bits, err := entry.ParsePermissions(text); err == nil {
		return bits, nil
	}
	if strings.Contains(text, "=") {
		return parseClauses(text, "=")
	}
	return 0, errors.New("this should be permissions, such as 0640, rw-r----- or u=rw,g=r,o=")
}

// parseBits reads some permission bits: in octal, or symbolic as in u+rw,g+r.
func parseBits(text string) (entry.Permissions, error) {
	bits, err := parseClauses(text, "+")
	if len(text) <= 4 && strings.Trim(text, "01234567") == "" {
		bits, err = entry.ParsePermissions(text)
	}
	if err == nil && bits == 0 {
		err = errors.New("these are no permissions at all; write some, such as g+w")
	}
	return bits, err
}

// parseClauses reads symbolic permissions that say by one sign which bits are meant.
func parseClauses(text, sign string) (bits entry.Permissions, err error) {
	clauses, err := entry.ParseClauses(text)
	if err != nil || len(clauses) != 1+strings.Count(text, ",") {
		return 0, fmt.Errorf(clausesWanted, sign)
	}
	for _, c := range clauses {
		if string(c.Sign) != sign || c.Copies() || strings.Contains(c.Bits, "X") {
			return 0, fmt.Errorf(clausesWanted, sign)
		}
		bits |= c.Apply(0, false, 0)
	}
	return bits, nil
}

const clausesWanted = "this should be permissions, such as 0022, g%[1]sw or ug%[1]srw,o%[1]sr: who (u, g, o, a), %[1]s, and what (r, w, x, s, t)"
