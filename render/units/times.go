package units

import (
	"strconv"
	"strings"
	"time"

	"frankledger/core/entry"
)

// Times are how moments are shown to people.
type Times uint8

const (
	Relative Times = iota // 3 days ago
	Local                 // 2026-11-20 14:03, in the zone of the person
	UTC                   // 2026-11-20 14:03Z
)

var timeWords = []string{"relative", "local", "utc"}

// TimeWords lists the words for times, the default first.
func TimeWords() []string { return timeWords }

// ParseTimes reads the word for times.
func ParseTimes(word string) (Times, error) {
	i, err := choose("times", word, timeWords)
	return Times(i), err
}

func (t Times) String() string { return timeWords[t] }

// Clock says how moments are shown: in which way, in which zone, and as of when.
type Clock struct {
	Times Times
	Zone  *time.Location // for local times
	AsOf  time.Time
}

// Moment returns a moment in two parts: a number to align on, or "", and the
// rest.
func (c Clock) Moment(t entry.Time) (number, unit string) {
	text, split := c.AppendMoment(nil, t)
	return string(text[:split]), string(text[split:])
}

// AppendData appends a moment for a program that is to go on with it: a local one to the second, as spreadsheets
// read it, one in UTC after RFC 3339, with all its digits.
func (c Clock) AppendData(dst []byte, t entry.Time) []byte {
	switch c.Times {
	case Local:
		return t.Std().In(c.Zone).AppendFormat(dst, time.DateTime)
	case UTC:
		return t.AppendRFC3339(dst)
	}
	number, unit := c.Moment(t)
	if number != "" && !strings.HasPrefix(unit, " ") {
		number += " "
	}
	return append(append(dst, number...), unit...)
}

// AppendMoment appends both parts, and tells where the second begins.
func (c Clock) AppendMoment(dst []byte, t entry.Time) (both []byte, split int) {
	start := len(dst)
	switch c.Times {
	case Local:
		return t.Std().In(c.Zone).AppendFormat(dst, "2006-01-02 15:04"), 0
	case UTC:
		return t.Std().AppendFormat(dst, "2006-01-02 15:04Z"), 0
	}
	asOf := entry.TimeOf(c.AsOf)
	if t.Compare(asOf) > 0 {
		dst, unit := c.appendBetween(dst, asOf, t)
		if string(dst[start:]) == "0" {
			dst, unit = append(dst[:start], 'a'), "moment"
		}
		split = len(dst) - start
		return append(append(dst, unit...), " ahead"...), split
	}
	if t.Compare(entry.TimeOf(c.AsOf.Add(-justNow))) > 0 {
		return append(dst, "justnow"...), len("just")
	}
	dst, unit := c.appendBetween(dst, t, asOf)
	split = len(dst) - start
	return append(append(dst, unit...), " ago"...), split
}

// justNow is how long ago is not worth counting.
const justNow = 10 * time.Second

// What lies further apart than this is told in years of average length: calendars
// have no answer to what is after the year 292277026596.
const (
	longestSpan = 1e12
	shortMonths = 58 * 24 * 3600 // less than any two months, by whatever clock
	averageYear = 31_556_952
)

// Between returns the time between two moments in one unit.
func (c Clock) Between(earlier, later entry.Time) (number, unit string) {
	text, unit := c.appendBetween(nil, earlier, later)
	return string(text), unit
}

func (c Clock) appendBetween(dst []byte, earlier, later entry.Time) (number []byte, unit string) {
	switch apart := uint64(later.Sec) - uint64(earlier.Sec); {
	case apart > longestSpan:
		return AppendGrouped(dst, int64(apart/averageYear)), "years"
	case apart < shortMonths:
		if later.Nsec < earlier.Nsec && apart > 0 { // of the last second, only a part
			apart--
		}
		return AppendSpan(dst, int64(apart))
	}
	return appendBetweenTimes(dst, earlier.Std().In(c.Zone), later.Std().In(c.Zone))
}

// appendBetweenTimes appends the time between two moments in one unit, whole ones that
// have passed: years and months of the calendar, from two of them on, or shorter
// units.
func appendBetweenTimes(dst []byte, earlier, later time.Time) (number []byte, unit string) {
	y, m, d := earlier.Date()
	year, month, day := later.Date()
	months := (year-y)*12 + int(month) - int(m)
	after := d > day
	if d == day || d > 28 { // the hour tells, or the month may have no such day
		after = earlier.AddDate(0, months, 0).After(later)
	}
	if after {
		months--
	}
	switch {
	case months >= 24:
		return AppendGrouped(dst, int64(months/12)), "years"
	case months >= 2:
		return strconv.AppendInt(dst, int64(months), 10), "months"
	}
	return AppendSpan(dst, int64(later.Sub(earlier)/time.Second)) // some months at most
}

// spans are the units that lengths of time are shown in, and the length from
// which each is used: a unit is taken once there are two of it, so that what
// is cut off is never more than a third.
var spans = []struct {
	from, length int64
	one, many    string
}{
	{2 * 86400, 86400, "day", "days"},
	{2 * 3600, 3600, "hour", "hours"},
	{2 * 60, 60, "minute", "minutes"},
	{0, 1, "second", "seconds"},
}

// span returns a length of time in one unit: whole ones that have passed.
func span(seconds int64) (number, unit string) {
	text, unit := AppendSpan(nil, seconds)
	return string(text), unit
}

// AppendSpan appends a length of time in one unit: whole ones that have passed.
func AppendSpan(dst []byte, seconds int64) (number []byte, unit string) {
	for _, s := range spans {
		if seconds >= s.from {
			n := seconds / s.length
			if n == 1 {
				return append(dst, '1'), s.one
			}
			return AppendGrouped(dst, n), s.many
		}
	}
	return append(dst, '0'), "seconds"
}

// Span returns a length of time in words, such as "3 days".
func Span(d time.Duration) string {
	number, unit := span(int64(d / time.Second))
	return number + " " + unit
}
