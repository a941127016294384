package render

import (
	"strconv"
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

// Moment returns a moment in two parts: a number to align on, or "", and the
// rest.
func (v *View) Moment(t entry.Time) (number, unit string) {
	switch v.Times {
	case Local:
		return "", t.Std().In(v.Zone).Format("2006-01-02 15:04")
	case UTC:
		return "", t.Std().Format("2006-01-02 15:04Z")
	}
	asOf := entry.TimeOf(v.Context.AsOf)
	if t.Compare(asOf) > 0 {
		number, unit := v.Between(asOf, t)
		if number == "0" {
			return "in a", "moment"
		}
		return "in " + number, unit
	}
	if t.Compare(entry.TimeOf(v.Context.AsOf.Add(-justNow))) > 0 {
		return "just", "now"
	}
	number, unit = v.Between(t, asOf)
	return number, unit + " ago"
}

// justNow is how long ago is not worth counting.
const justNow = 10 * time.Second

// What lies further apart than this is told in years of average length: calendars
// have no answer to what is after the year 292277026596.
const (
	longestSpan = 1e12
	averageYear = 31_556_952
)

// Between returns the time between two moments in one unit.
func (v *View) Between(earlier, later entry.Time) (number, unit string) {
	if apart := uint64(later.Sec) - uint64(earlier.Sec); apart > longestSpan {
		return Grouped(int64(apart / averageYear)), "years"
	}
	return between(earlier.Std().In(v.Zone), later.Std().In(v.Zone))
}

// between returns the time between two moments in one unit, whole ones that
// have passed: years and months of the calendar, from two of them on, or shorter
// units.
func between(earlier, later time.Time) (number, unit string) {
	months := (later.Year()-earlier.Year())*12 + int(later.Month()) - int(earlier.Month())
	if earlier.AddDate(0, months, 0).After(later) {
		months--
	}
	switch {
	case months >= 24:
		return Grouped(int64(months / 12)), "years"
	case months >= 2:
		return strconv.Itoa(months), "months"
	}
	return span(int64(later.Sub(earlier) / time.Second)) // some months at most
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
	for _, s := range spans {
		if seconds >= s.from {
			n := seconds / s.length
			if n == 1 {
				return "1", s.one
			}
			return Grouped(n), s.many
		}
	}
	return "0", "seconds"
}

// Span returns a length of time in words, such as "3 days".
func Span(d time.Duration) string {
	number, unit := span(int64(d / time.Second))
	return number + " " + unit
}
