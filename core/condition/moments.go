package condition

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"frankledger/core/calendar"
)

// span reads the unit of a length of time that is a word of its own, or that stands
// alone for one: a week.
func (p *parser) span(v *Value) {
	lower := strings.ToLower(v.Text)
	if lower == "the" || lower == "last" || lower == "past" { // the last 7 days
		if next, more := p.peek(); more {
			p.next++
			p.said()
			length := next.pos + p.length(next) - v.Pos
			v.Text, v.Length = next.text, length
			p.span(v)
			return
		}
	}
	if _, known := timeUnit(lower); known && strings.Trim(lower, "0123456789") == lower {
		p.said()
		v.Text = "1 " + lower
		return
	}
	if lower == "a" || lower == "an" || lower == "one" {
		if next, more := p.peek(); more {
			if _, known := timeUnit(next.text); known {
				p.next++
				p.said()
				p.extend(v, next, " ")
				v.Text = "1 " + strings.ToLower(next.text)
			}
		}
		return
	}
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
		if v.Span, err = parseSpan(v.Text); err == nil && p.accept("ago") { // less than 3 days ago
			p.said()
		}
		return err
	}
	if p.period(v) {
		p.timeOfDay(v)
		if v.When, err = parseWhen(v.Text); err == nil {
			v.Text = v.When.text
		}
		return err
	}
	start := p.next
	if p.span(v); p.next > start || isSpan(v.Text) {
		switch next, more := p.peek(); {
		case more && strings.EqualFold(next.text, "ago"):
			p.next++
			p.extend(v, next, " ")
		case test.Op == On || test.Op == Between:
			return wrong([]string{v.Text + " ago"}, "this should be a moment: write %s ago, or %s within %s", v.Text, test.Field.Name, v.Text)
		default: // before 90 days
			p.said()
			v.Text += " ago"
		}
	} else {
		p.timeOfDay(v)
	}
	if v.When, err = parseWhen(v.Text); err != nil {
		return err
	}
	if test.Op == On && v.When.form == clockForm {
		return wrong([]string{v.When.at}, "on takes a day, such as %s", v.When.at)
	}
	if test.Op == On && v.When.form == instantForm {
		return wrong([]string{dayOf(v.Text)}, "on takes a day, such as yesterday or %s", dayOf(v.Text))
	}
	if v.When.form == weekdayForm && !strings.EqualFold(v.Text, v.When.text) {
		p.said()
	}
	v.Text = v.When.text
	return nil
}

// timeOfDay takes the time of a day that was read.
func (p *parser) timeOfDay(v *Value) {
	next, more := p.peek()
	if !more || !clock().MatchString(next.text) {
		return
	}
	glue := " "
	if _, err := time.Parse(dayForm, v.Text); err == nil {
		glue = "T"
	}
	p.next++
	p.extend(v, next, glue)
}

// isSpan reports whether text is a length of time, as 3d.
func isSpan(text string) bool {
	_, err := parseSpan(text)
	return err == nil
}

// period reads a stretch of the calendar of two words, such as last week.
func (p *parser) period(v *Value) bool {
	lower := strings.ToLower(v.Text)
	if lower != "this" && lower != "last" && lower != "past" {
		return false
	}
	next, more := p.peek()
	if !more {
		return false
	}
	text := strings.Replace(lower, "past", "last", 1) + " " + strings.ToLower(next.text)
	if w, err := parseWhen(text); err != nil || w.form != periodForm {
		return false
	}
	p.next++
	p.extend(v, next, " ")
	v.Text = text
	return true
}

var clock = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^\d{1,2}:\d{2}(:\d{2})?(Z|[+-]\d{2}:\d{2})?$`)
})

func dayOf(text string) string {
	if len(text) >= 10 {
		return text[:10]
	}
	return "2026-11-23"
}

// span is a length of time: of the calendar, or of the clock().
type span struct {
	years, months, days int
	clock               int64 // seconds
}

// before returns the moment that lies so long before another, the same time of
// day for days and longer. A month before the last days of one is the last day of a
// shorter one.
func (s span) Before(t time.Time) time.Time {
	if s.years != 0 || s.months != 0 {
		first := time.Date(t.Year()-s.years, t.Month()-time.Month(s.months), 1, 0, 0, 0, 0, time.UTC)
		last := first.AddDate(0, 1, -1).Day()
		t = time.Date(first.Year(), first.Month(), min(t.Day(), last), t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), t.Location())
	}
	if s.days != 0 {
		t = t.AddDate(0, 0, -s.days)
	}
	if s.clock != 0 {
		t = time.Unix(t.Unix()-s.clock, int64(t.Nanosecond())).In(t.Location()) // more than a time.Duration can be
	}
	return t
}

// more returns a span longer by one unit.
func (s span) More(unit span) span {
	return span{s.years + unit.years, s.months + unit.months, s.days + unit.days, s.clock + unit.clock}
}

var timeUnits = map[string]span{
	"second": {clock: 1}, "minute": {clock: 60}, "hour": {clock: 3600},
	"day": {days: 1}, "week": {days: 7}, "month": {months: 1}, "year": {years: 1},
	"sec": {clock: 1}, "min": {clock: 60}, "hr": {clock: 3600}, "wk": {days: 7}, "yr": {years: 1},
	"s": {clock: 1}, "h": {clock: 3600}, "d": {days: 1}, "w": {days: 7}, "y": {years: 1},
}

func timeUnit(text string) (span, bool) {
	lower := strings.ToLower(text)
	if unit, known := timeUnits[lower]; known {
		return unit, true
	}
	unit, known := timeUnits[strings.TrimSuffix(lower, "s")]
	return unit, known && len(lower) > 2
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
		return s, unit, wrong([]string{number + " days", number + " hours"}, "%s of what? %s", number, units)
	}
	n, err := strconv.Atoi(number)
	if err != nil {
		return s, unit, fmt.Errorf("this should be a whole number of %s, not %s", word, number)
	}
	unit, known := timeUnit(word)
	if strings.EqualFold(word, "m") || strings.EqualFold(word, "mo") {
		return s, unit, wrong([]string{number + "min", number + " months"}, "%s: minutes or months? write %smin or %s months", text, number, number)
	}
	if !known {
		return s, unit, fmt.Errorf("there is no unit of time %s; there are %s", word, units)
	}
	if n > 100_000 && unit.clock == 0 || n > math.MaxInt32 {
		return s, unit, fmt.Errorf("%s is too long", text)
	}
	return span{unit.years * n, unit.months * n, unit.days * n, unit.clock * int64(n)}, unit, nil
}

// when is a moment as it was written: one that is exact, or a whole day, month
// or year.
type when struct {
	form string
	text string // normal form
	span span   // of agoForm
	at   string // of the others, for the layout; of clockForm, the day
	// clock is the time of the day, of clockForm.
	clock timeOfDay
}

// timeOfDay is a time of a day.
type timeOfDay struct{ hour, minute, second int }

const (
	instantForm   = "instant"
	clockForm     = "clock"
	nowForm       = "now"
	todayForm     = "today"
	yesterdayForm = "yesterday"
	agoForm       = "ago"
	dayForm       = "2006-01-02"
	monthForm     = "2006-01"
	yearForm      = "2006"
	periodForm    = "period"  // this week, last month
	weekdayForm   = "weekday" // the last of these days: monday
)

// periods are the stretches of the calendar that there are this and last ones of. Weeks
// begin on Monday (ISO 8601).
var periods = []string{"day", "week", "month", "year"}

// weekdays are the days of the week, from Sunday, and what is short for them.
var weekdays = [7][]string{{"sunday", "sun"}, {"monday", "mon"}, {"tuesday", "tue"}, {"wednesday", "wed"}, {"thursday", "thu"}, {"friday", "fri"}, {"saturday", "sat"}}

func weekday(text string) (time.Weekday, bool) {
	at := slices.IndexFunc(weekdays[:], func(names []string) bool { return slices.Contains(names, text) })
	return time.Weekday(at), at >= 0
}

var instantLayouts = []string{"2006-01-02T15:04", "2006-01-02T15:04:05", "2006-01-02T15:04Z07:00", time.RFC3339}

// parseWhen reads a moment.
func parseWhen(text string) (when, error) {
	lower := strings.ToLower(text)
	switch lower {
	case nowForm, todayForm, yesterdayForm:
		return when{form: lower, text: lower}, nil
	}
	if which, of, two := strings.Cut(lower, " "); two && (which == "this" || which == "last") {
		if _, is := weekday(of); slices.Contains(periods, of) || is {
			return when{form: periodForm, text: lower, at: lower}, nil
		}
	}
	if day, is := weekday(lower); is {
		return when{form: weekdayForm, text: weekdays[day][0], at: lower}, nil
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
	if w, is := writtenOut(lower); is {
		return w, nil
	}
	if impossible().MatchString(text) {
		return when{}, fmt.Errorf("there is no such day or time: %s", text)
	}
	if _, err := parseSpan(lower); err == nil {
		return when{}, fmt.Errorf("this should be a moment: write %s ago", text)
	}
	return when{}, fmt.Errorf("this should be a moment, such as 2026-11-23, '23 November 2026 8:40 pm', today, 'yesterday 20:40', now or 90 days ago, not %s", text)
}

// dayLayouts are days as they are written out.
var dayLayouts = []string{"2 January 2006", "2 Jan 2006", "January 2 2006", "Jan 2 2006"}

var clockWords = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^(?:(.+?)(?:,? at |,? ))?(\d{1,2})(?::(\d\d))?(?::(\d\d))? ?(am|pm)?$`)
})

// writtenOut reads a day with the name of its month, a time of the day, which is one of today, or both.
func writtenOut(lower string) (when, bool) {
	day := strings.NewReplacer(",", " ", ".", " ").Replace(lower)
	for _, end := range []string{"st ", "nd ", "rd ", "th "} { // of a number
		if at := strings.Index(day, end); at > 0 && '0' <= day[at-1] && day[at-1] <= '9' {
			day = day[:at] + day[at+2:]
		}
	}
	day = strings.Join(strings.Fields(strings.Replace(day, " of ", " ", 1)), " ")
	for _, layout := range dayLayouts {
		if t, err := time.Parse(layout, day); err == nil {
			iso := t.Format(dayForm)
			return when{form: dayForm, text: iso, at: iso}, true
		}
	}
	m := clockWords().FindStringSubmatch(lower)
	if m == nil || m[3] == "" && m[5] == "" { // a number alone
		return when{}, false
	}
	c := timeOfDay{}
	for i, to := range []*int{&c.hour, &c.minute, &c.second} {
		*to, _ = strconv.Atoi(m[2+i])
	}
	switch {
	case m[5] != "" && (c.hour < 1 || c.hour > 12), c.hour > 23, c.minute > 59, c.second > 59:
		return when{}, false
	case m[5] == "am" && c.hour == 12:
		c.hour = 0
	case m[5] == "pm" && c.hour < 12:
		c.hour += 12
	}
	if m[1] == "" {
		m[1] = todayForm
	}
	of, err := parseWhen(m[1])
	text := fmt.Sprintf("%02d:%02d", c.hour, c.minute)
	if c.second > 0 {
		text += fmt.Sprintf(":%02d", c.second)
	}
	isDay := of.form == dayForm || of.form == todayForm || of.form == yesterdayForm || of.form == weekdayForm
	if _, word, two := strings.Cut(of.at, " "); of.form == periodForm && two {
		_, isDay = weekday(word)
	}
	if err != nil || !isDay {
		return when{}, false
	}
	if of.form == dayForm {
		at := of.at + "T" + text
		return when{form: instantForm, text: at, at: at}, true
	}
	return when{form: clockForm, text: of.text + " " + text, at: of.text, clock: c}, true
}

var impossible = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^\d{4}-\d{1,2}(-\d{1,2})?([T ]|$)`)
})

// resolve returns the first moment, and the first that comes after; the same
// for one that is exact.
func (w when) Resolve(asOf time.Time, zone *time.Location) (from, to time.Time) {
	asOf = asOf.In(zone)
	switch w.form {
	case nowForm:
		return asOf, asOf
	case todayForm:
		return calendar.Day(calendar.Of(asOf, zone), 0, zone)
	case yesterdayForm:
		return calendar.Day(calendar.Of(asOf, zone), -1, zone)
	case agoForm:
		t := w.span.Before(asOf)
		return t, t
	case clockForm:
		day, err := parseWhen(w.at)
		if err != nil {
			panic(err) // it was parsed before
		}
		first, _ := day.Resolve(asOf, zone)
		d := calendar.Of(first, zone)
		t := time.Date(d.Year, d.Month, d.Day, w.clock.hour, w.clock.minute, w.clock.second, 0, zone)
		return t, t
	case periodForm, weekdayForm:
		return resolvePeriod(w.at, calendar.Of(asOf, zone), zone)
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

// resolvePeriod returns a stretch of the calendar, seen from a day.
func resolvePeriod(text string, today calendar.Date, zone *time.Location) (from, to time.Time) {
	which, of, two := strings.Cut(text, " ")
	if !two {
		which, of = "", which
	}
	now := time.Date(today.Year, today.Month, today.Day, 12, 0, 0, 0, time.UTC)
	if day, is := weekday(of); is {
		back := (int(now.Weekday()) - int(day) + 7) % 7
		switch {
		case which == "last" && back == 0:
			back = 7
		case which == "this": // of this week
			back = (int(now.Weekday())+6)%7 - (int(day)+6)%7
		}
		return calendar.Day(today, -back, zone)
	}
	n := 0
	if which == "last" {
		n = 1
	}
	switch of {
	case "week":
		back := (int(now.Weekday()) + 6) % 7 // since Monday
		from, _ = calendar.Day(today, -back-7*n, zone)
		to, _ = calendar.Day(today, -back-7*n+7, zone)
		return from, to
	case "month":
		first := time.Date(today.Year, today.Month-time.Month(n), 1, 12, 0, 0, 0, time.UTC)
		return calendar.Month(first.Year(), first.Month(), zone)
	case "year":
		return calendar.Year(today.Year-n, zone)
	}
	return calendar.Day(today, -n, zone)
}

// exact reports whether a moment is one, and no day, month or year.
func (w when) exact() bool {
	return w.form == nowForm || w.form == agoForm || w.form == instantForm || w.form == clockForm
}

// ParseMoment reads a moment as conditions have it, seen from another: ISO 8601,
// now, today, yesterday, or 90 days ago. A whole day, month or year stands for
// its start. A moment without a zone is in the given one.
func ParseMoment(text string, asOf time.Time, zone *time.Location) (time.Time, error) {
	w, err := parseWhen(text)
	if err != nil {
		return time.Time{}, err
	}
	from, _ := w.Resolve(asOf, zone)
	return from, nil
}

// ParsePeriod reads a moment as [ParseMoment] does, and returns where it begins and where what comes after it begins:
// the same for one that is no day, week, month or year.
func ParsePeriod(text string, asOf time.Time, zone *time.Location) (from, to time.Time, err error) {
	w, err := parseWhen(text)
	if err != nil {
		return time.Time{}, time.Time{}, err
	}
	from, to = w.Resolve(asOf, zone)
	return from, to, nil
}

// day returns the calendar day, month or year that a moment lies in.
func (w when) Day(asOf time.Time, zone *time.Location) (from, to time.Time) {
	from, to = w.Resolve(asOf, zone)
	if w.exact() {
		return calendar.Day(calendar.Of(from, zone), 0, zone)
	}
	return from, to
}
