package condition

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/bmatcuk/doublestar/v4"

	"frankledger/core/calendar"
	"frankledger/core/entry"
	"frankledger/core/similar"
)

// values reads what a field is compared with, and checks all that can be
// checked without knowing the moment and the person.
func (p *parser) values(test *Test) {
	test.Values = append(test.Values, p.value(test))
	if test.Op == Between {
		if !p.accept("and") {
			p.fail("between takes two values: between A and B")
		}
		test.Values = append(test.Values, p.value(test))
	}
}

func (p *parser) value(test *Test) Value {
	first, ok := p.take()
	if !ok || !first.quoted && (first.text == opening && !p.words || first.text == closing) {
		if ok {
			p.next--
		}
		p.fail("a value is missing: %s %s …", test.Field.Name, test.Op)
	}
	v := Value{Text: first.text, pos: first.pos, length: p.length(first)}
	err := p.read(test, &v, first)
	if err != nil {
		panic(p.mistake(v.pos, v.length, "%s", err))
	}
	return v
}

// read reads a value that begins with a token, by the type of the field.
func (p *parser) read(test *Test, v *Value, first token) (err error) {
	switch test.Field.Type {
	case entry.Text:
		if test.Field.List && test.Op == Is {
			for strings.HasSuffix(v.Text, ",") {
				more, ok := p.take()
				if !ok {
					p.fail("after a comma another value is wanted")
				}
				p.extend(v, more, "")
			}
		}
		if v.words = []string{v.Text}; test.Field.List {
			v.words = strings.Split(v.Text, ",")
		}
		return checkText(test, v)
	case entry.Bytes:
		if next, more := p.peek(); more && isNumber(first.text) && isSizeUnit(next.text) {
			p.next++
			p.extend(v, next, "")
		}
		var n int64
		n, err = parseBytes(v.Text)
		v.rank = test.Field.Rank(n)
	case entry.Number:
		if v.rank, err = strconv.ParseUint(v.Text, 10, 64); err != nil {
			err = fmt.Errorf("%s takes a whole number, not %s", test.Field.Name, v.Text)
		}
	case entry.Mode:
		if test.Op == Is {
			v.bits, err = parseMode(v.Text)
		} else {
			v.bits, err = parseBits(v.Text)
		}
	case entry.Span:
		p.span(v)
		v.span, v.unit, err = parseSpanUnit(v.Text)
	case entry.Moment:
		err = p.moment(test, v)
	}
	return err
}

// extend makes the next token part of a value.
func (p *parser) extend(v *Value, next token, between string) {
	v.Text += between + next.text
	v.length = next.pos + p.length(next) - v.pos
}

// span reads the unit of a length of time that is a word of its own.
func (p *parser) span(v *Value) {
	if !isNumber(v.Text) {
		return
	}
	if next, more := p.peek(); more {
		if _, known := timeUnit(next.text); known {
			p.next++
			p.extend(v, next, " ")
		}
	}
}

func (p *parser) moment(test *Test, v *Value) (err error) {
	if test.Op == Within {
		p.span(v)
		v.span, err = parseSpan(v.Text)
		return err
	}
	start := p.next
	if p.span(v); p.next > start {
		next, more := p.peek()
		if !more || !strings.EqualFold(next.text, "ago") {
			return fmt.Errorf("this should be a moment: write %s ago, or %s within %s", v.Text, test.Field.Name, v.Text)
		}
		p.next++
		p.extend(v, next, " ")
	} else if next, more := p.peek(); more && clock.MatchString(next.text) {
		p.next++
		p.extend(v, next, "T")
	}
	if v.when, err = parseWhen(v.Text); err != nil {
		return err
	}
	if test.Op == On && v.when.form == instantForm {
		return fmt.Errorf("on takes a day, such as yesterday or %s", dayOf(v.Text))
	}
	v.Text = v.when.text
	return nil
}

var clock = regexp.MustCompile(`^\d{1,2}:\d{2}(:\d{2})?(Z|[+-]\d{2}:\d{2})?$`)

func dayOf(text string) string {
	if len(text) >= 10 {
		return text[:10]
	}
	return "2026-11-23"
}

func isNumber(text string) bool {
	_, err := strconv.ParseFloat(text, 64)
	return err == nil && strings.Trim(text, "0123456789.") == ""
}

// checkText checks what can be wrong with a value of text.
func checkText(test *Test, v *Value) error {
	f, text := test.Field, v.Text
	switch {
	case f.Needs&entry.FactDigests != 0:
		return checkDigest(f.Name, text)
	case test.Op == Matches:
		if _, err := regexp.Compile(text); err != nil {
			return fmt.Errorf("not a regular expression (RE2): %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		}
	case test.Op == Like:
		if !doublestar.ValidatePattern(text) {
			return errors.New("not a pattern: * stands for anything, ? for one character, [a-z] for one of these")
		}
	case test.Op == Is && f.Words != nil:
		for _, word := range v.words {
			if !slices.Contains(f.Words, strings.ToLower(word)) {
				hint := f.Name + "s are " + strings.Join(f.Words, ", ")
				if near := similar.Nearest(word, f.Words); near != "" {
					hint = "did you mean " + near + "?"
				}
				return fmt.Errorf("there is no %s %s; %s", f.Name, word, hint)
			}
		}
	case text == "" && test.Op != Is:
		return fmt.Errorf("%s takes some text", test.Op)
	}
	if test.Op == Is && f.Mistake != nil {
		if err := f.Mistake(text); err != nil {
			return err
		}
	}
	if f.List && test.Op == Is && slices.Contains(v.words, "") {
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

// sizeUnits are the units of IEC 80000-13.
var sizeUnits = map[string]int64{
	"B": 1, "kB": 1e3, "MB": 1e6, "GB": 1e9, "TB": 1e12, "PB": 1e15, "EB": 1e18,
	"KiB": 1 << 10, "MiB": 1 << 20, "GiB": 1 << 30, "TiB": 1 << 40, "PiB": 1 << 50, "EiB": 1 << 60,
}

// sizeUnit finds a unit in any case.
func sizeUnit(text string) (int64, bool) {
	for name, size := range sizeUnits {
		if strings.EqualFold(name, text) {
			return size, true
		}
	}
	return 0, false
}

func isSizeUnit(text string) bool {
	_, is := sizeUnit(text)
	return is || len(text) == 1 && strings.ContainsAny(text, "kKmMgGtT")
}

// ParseBytes reads a number of bytes as conditions have it, such as 10MB.
func ParseBytes(text string) (int64, error) { return parseBytes(text) }

// parseBytes reads a number of bytes with its unit, rounded to whole bytes.
func parseBytes(text string) (int64, error) {
	end := len(text)
	for end > 0 && !('0' <= text[end-1] && text[end-1] <= '9' || text[end-1] == '.') {
		end--
	}
	number, unit := text[:end], text[end:]
	amount, ok := new(big.Rat).SetString(number)
	if !ok || !isNumber(number) {
		return 0, fmt.Errorf("this should be a size, such as 500kB, 10MB or 2GiB, not %s", text)
	}
	scale, known := sizeUnit(unit)
	switch {
	case unit == "" && amount.Sign() == 0:
		return 0, nil
	case unit == "":
		return 0, fmt.Errorf("%s of what? write %sB, %skB, %sMB or %sMiB", number, number, number, number, number)
	case len(unit) == 1 && !known && strings.ContainsAny(unit, "kKmMgGtT"):
		letter := strings.ToUpper(unit)
		thousands := letter + "B"
		if letter == "K" {
			thousands = "kB"
		}
		return 0, fmt.Errorf("%s could be %s%s (by 1000) or %s%siB (by 1024); say which", text, number, thousands, number, letter)
	case !known:
		return 0, fmt.Errorf("there is no unit %s; units are B, kB, MB, GB, TB (by 1000) and KiB, MiB, GiB, TiB (by 1024)", unit)
	}
	amount.Mul(amount, new(big.Rat).SetInt64(scale)).Add(amount, big.NewRat(1, 2))
	whole := new(big.Int).Quo(amount.Num(), amount.Denom())
	if !whole.IsInt64() {
		return 0, fmt.Errorf("%s is more than any file can have", text)
	}
	return whole.Int64(), nil
}

// span is a length of time: of the calendar, or of the clock.
type span struct {
	years, months, days int
	clock               time.Duration
}

// before returns the moment that lies so long before another, the same time of
// day for days and longer.
func (s span) before(t time.Time) time.Time {
	return t.AddDate(-s.years, -s.months, -s.days).Add(-s.clock)
}

// more returns a span longer by one unit.
func (s span) more(unit span) span {
	return span{s.years + unit.years, s.months + unit.months, s.days + unit.days, s.clock + unit.clock}
}

var timeUnits = map[string]span{
	"second": {clock: time.Second}, "minute": {clock: time.Minute}, "hour": {clock: time.Hour},
	"day": {days: 1}, "week": {days: 7}, "month": {months: 1}, "year": {years: 1},
	"sec": {clock: time.Second}, "min": {clock: time.Minute},
}

func timeUnit(text string) (span, bool) {
	unit, known := timeUnits[strings.TrimSuffix(strings.ToLower(text), "s")]
	return unit, known
}

// parseSpan reads a length of time, such as "7 days".
func parseSpan(text string) (span, error) {
	s, _, err := parseSpanUnit(text)
	return s, err
}

func parseSpanUnit(text string) (s, unit span, err error) {
	end := 0
	for end < len(text) && ('0' <= text[end] && text[end] <= '9' || text[end] == '.') {
		end++
	}
	number, word := text[:end], strings.TrimSpace(text[end:])
	const units = "seconds, minutes, hours, days, weeks, months or years"
	if number == "" {
		return s, unit, fmt.Errorf("this should be a length of time, such as 7 days or 90 minutes, not %s", text)
	}
	if word == "" {
		return s, unit, fmt.Errorf("%s of what? %s", number, units)
	}
	n, err := strconv.Atoi(number)
	if err != nil {
		return s, unit, fmt.Errorf("this should be a whole number of %s, not %s", word, number)
	}
	unit, known := timeUnit(word)
	if !known {
		return s, unit, fmt.Errorf("there is no unit of time %s; there are %s", word, units)
	}
	if n > 100_000 && unit.clock == 0 || n > math.MaxInt32 {
		return s, unit, fmt.Errorf("%s is too long", text)
	}
	return span{unit.years * n, unit.months * n, unit.days * n, unit.clock * time.Duration(n)}, unit, nil
}

// when is a moment as it was written: one that is exact, or a whole day, month
// or year.
type when struct {
	form string
	text string // normal form
	span span   // of agoForm
	at   string // of the others, for the layout
}

const (
	instantForm   = "instant"
	nowForm       = "now"
	todayForm     = "today"
	yesterdayForm = "yesterday"
	agoForm       = "ago"
	dayForm       = "2006-01-02"
	monthForm     = "2006-01"
	yearForm      = "2006"
)

var instantLayouts = []string{"2006-01-02T15:04", "2006-01-02T15:04:05", "2006-01-02T15:04Z07:00", time.RFC3339}

// parseWhen reads a moment.
func parseWhen(text string) (when, error) {
	lower := strings.ToLower(text)
	switch lower {
	case nowForm, todayForm, yesterdayForm:
		return when{form: lower, text: lower}, nil
	}
	if length, ago := strings.CutSuffix(lower, " ago"); ago {
		s, err := parseSpan(length)
		return when{form: agoForm, text: lower, span: s}, err
	}
	for _, form := range []string{dayForm, monthForm, yearForm} {
		if _, err := time.Parse(form, text); err == nil {
			return when{form: form, text: text, at: text}, nil
		}
	}
	if at := strings.Replace(text, " ", "T", 1); strings.Count(text, " ") <= 1 {
		for _, layout := range instantLayouts {
			if _, err := time.Parse(layout, at); err == nil {
				return when{form: instantForm, text: at, at: at}, nil
			}
		}
	}
	if impossible.MatchString(text) {
		return when{}, fmt.Errorf("there is no such day or time: %s", text)
	}
	if _, err := parseSpan(lower); err == nil {
		return when{}, fmt.Errorf("this should be a moment: write %s ago", text)
	}
	return when{}, fmt.Errorf("this should be a moment, such as 2026-11-23, 2026-11-23T14:00, today, yesterday, now or 90 days ago, not %s", text)
}

var impossible = regexp.MustCompile(`^\d{4}-\d{1,2}(-\d{1,2})?([T ]|$)`)

// resolve returns the first moment, and the first that comes after; the same
// for one that is exact.
func (w when) resolve(asOf time.Time, zone *time.Location) (from, to time.Time) {
	asOf = asOf.In(zone)
	switch w.form {
	case nowForm:
		return asOf, asOf
	case todayForm:
		return calendar.Day(calendar.Of(asOf, zone), 0, zone)
	case yesterdayForm:
		return calendar.Day(calendar.Of(asOf, zone), -1, zone)
	case agoForm:
		t := w.span.before(asOf)
		return t, t
	case dayForm, monthForm, yearForm:
		t, err := time.Parse(w.form, w.at)
		if err != nil {
			panic(err) // it was parsed before
		}
		switch w.form {
		case monthForm:
			return calendar.Month(t.Year(), t.Month(), zone)
		case yearForm:
			return calendar.Year(t.Year(), zone)
		}
		return calendar.Day(calendar.Date{Year: t.Year(), Month: t.Month(), Day: t.Day()}, 0, zone)
	}
	for _, layout := range instantLayouts {
		if t, err := time.ParseInLocation(layout, w.at, zone); err == nil {
			return t, t
		}
	}
	panic("unreachable: " + w.at)
}

// exact reports whether a moment is one, and no day, month or year.
func (w when) exact() bool {
	return w.form == nowForm || w.form == agoForm || w.form == instantForm
}

// ParseMoment reads a moment as conditions have it, seen from another: ISO 8601,
// now, today, yesterday, or 90 days ago. A whole day, month or year stands for
// its start. A moment without a zone is in the given one.
func ParseMoment(text string, asOf time.Time, zone *time.Location) (time.Time, error) {
	w, err := parseWhen(text)
	if err != nil {
		return time.Time{}, err
	}
	from, _ := w.resolve(asOf, zone)
	return from, nil
}

// day returns the calendar day, month or year that a moment lies in.
func (w when) day(asOf time.Time, zone *time.Location) (from, to time.Time) {
	from, to = w.resolve(asOf, zone)
	if w.exact() {
		return calendar.Day(calendar.Of(from, zone), 0, zone)
	}
	return from, to
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
