package tally

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"frankledger/core/calendar"
	"frankledger/core/entry"
	"frankledger/core/text"
)

// Dimension is something that entries are grouped by.
type Dimension struct {
	Name    string
	Needs   entry.Facts
	Type    entry.Type // Text, Number or Flag
	Ordered bool       // groups have an order of their own, which is not by weight
	append  func(dst []byte, e *entry.Entry, c *entry.Context) ([]byte, bool)
	bands   []string // in their order; nil where the values are not bands
	long    bool     // values are shortened where there is little room
}

// ErrDimension is returned for words that nothing can be grouped by.
var ErrDimension = errors.New("cannot group")

// named returns the names of fields that are chosen.
func named(chosen func(*entry.Field) bool) (names []string) {
	for i := range entry.Fields {
		if chosen(&entry.Fields[i]) {
			names = append(names, entry.Fields[i].Name)
		}
	}
	return names
}

// plain are the fields that can be grouped by as they are.
var plain = named(func(f *entry.Field) bool { return f.Groups })

const (
	ageWord  = "age"
	sizeWord = "size"
)

// periods are the parts of the calendar that a time can be grouped by.
var periods = map[string]string{"year": "2006", "month": "2006-01", "day": "2006-01-02"}

// times are the fields that periods can be of; the first is the default.
var times = named(func(f *entry.Field) bool { return f.Type == entry.Moment })

// Words lists all that can be grouped by.
func Words() []string {
	words := append(slices.Clone(plain), ageWord, sizeWord, "year", "month", "day")
	for _, field := range times {
		for _, period := range []string{"year", "month", "day"} {
			words = append(words, field+"/"+period)
		}
	}
	return words
}

// ParseDimensions reads one or two dimensions, separated by a comma. Periods are
// of modified, or of another time as in created/month.
func ParseDimensions(words string, zone *time.Location) ([]*Dimension, error) {
	var list []*Dimension
	for word := range strings.SplitSeq(words, ",") {
		d := dimension(word, zone)
		if d == nil {
			if near := text.Nearest(word, Words()); near != "" {
				return nil, fmt.Errorf("%w by %q; did you mean %s?", ErrDimension, word, near)
			}
			return nil, fmt.Errorf("%w by %q; there are %s", ErrDimension, word, strings.Join(Words(), ", "))
		}
		for _, other := range list {
			if other.Name == d.Name {
				return nil, fmt.Errorf("%w twice by %s", ErrDimension, d.Name)
			}
		}
		list = append(list, d)
	}
	if len(list) > 2 {
		return nil, fmt.Errorf("%w by more than two fields", ErrDimension)
	}
	return list, nil
}

func dimension(word string, zone *time.Location) *Dimension {
	switch field, period, found := strings.Cut(word, "/"); {
	case slices.Contains(plain, word):
		return ofField(entry.FieldNamed(word))
	case word == ageWord:
		return &Dimension{Name: word, Needs: entry.FactStatus, Ordered: true, append: appendAge, bands: labels(ageBands)}
	case word == sizeWord:
		return &Dimension{Name: word, Needs: entry.FactStatus, Ordered: true, append: appendSize, bands: labels(sizeBands)}
	case periods[word] != "":
		return ofPeriod(word, times[0], periods[word], zone)
	case found && slices.Contains(times, field) && periods[period] != "":
		return ofPeriod(word, field, periods[period], zone)
	}
	return nil
}

func ofField(f *entry.Field) *Dimension {
	d := &Dimension{Name: f.Name, Needs: f.Needs, Type: f.Type, long: f.Long}
	switch f.Type {
	case entry.Flag:
		d.append = func(dst []byte, e *entry.Entry, _ *entry.Context) ([]byte, bool) {
			is, ok := f.Flag(e)
			return fmt.Appendf(dst, "%t", is), ok
		}
	case entry.Mode:
		d.Type = entry.Text
		d.append = func(dst []byte, e *entry.Entry, c *entry.Context) ([]byte, bool) {
			_, ok := f.Number(e, c)
			return e.Permissions.AppendOctal(dst), ok
		}
	case entry.Number:
		d.Ordered = true
		d.append = func(dst []byte, e *entry.Entry, c *entry.Context) ([]byte, bool) {
			n, ok := f.Number(e, c)
			return fmt.Appendf(dst, "%d", n), ok
		}
	default:
		d.append = func(dst []byte, e *entry.Entry, c *entry.Context) ([]byte, bool) { return f.AppendText(dst, e, c) }
	}
	return d
}

func ofPeriod(name, field, layout string, zone *time.Location) *Dimension {
	f := entry.FieldNamed(field)
	return &Dimension{Name: name, Needs: f.Needs, Ordered: true, append: func(dst []byte, e *entry.Entry, _ *entry.Context) ([]byte, bool) {
		t, ok := f.Moment(e)
		if t.Sec < -faraway || t.Sec > faraway {
			return appendFaraway(dst, t, layout), ok
		}
		d := calendar.Of(t.Std(), zone)
		return time.Date(d.Year, d.Month, d.Day, 0, 0, 0, 0, time.UTC).AppendFormat(dst, layout), ok
	}}
}

// faraway is how far moments can be, in seconds from 1970, that the calendar of the library has.
const faraway = 1 << 58

// appendFaraway appends a period of a moment further away, in UTC.
func appendFaraway(dst []byte, t entry.Time, layout string) []byte {
	date, _, _ := strings.Cut(strings.TrimPrefix(string(t.AppendRFC3339(nil)), "+"), "T")
	for range strings.Count(time.DateOnly, "-") - strings.Count(layout, "-") {
		date = date[:strings.LastIndexByte(date, '-')]
	}
	return append(dst, date...)
}

// band is a stretch of ages or sizes, from a number of seconds or bytes on, up
// to the next.
type band struct {
	from  int64
	label string
}

const hour = 3600

var ageField = entry.FieldNamed("age")

var ageBands = []band{
	{math.MinInt64, "in the future"}, {0, "within the hour"}, {hour, "within a day"}, {24 * hour, "within a week"}, {7 * 24 * hour, "within 30 days"},
	{30 * 24 * hour, "within 90 days"}, {90 * 24 * hour, "within a year"}, {365 * 24 * hour, "within 2 years"}, {2 * 365 * 24 * hour, "within 5 years"}, {5 * 365 * 24 * hour, "older"},
}

var sizeBands = []band{
	{math.MinInt64, "–"}, {0, "empty"}, {1, "under 1 KiB"}, {1 << 10, "1 KiB to 10 KiB"}, {10 << 10, "10 KiB to 100 KiB"}, {100 << 10, "100 KiB to 1 MiB"},
	{1 << 20, "1 MiB to 10 MiB"}, {10 << 20, "10 MiB to 100 MiB"}, {100 << 20, "100 MiB to 1 GiB"}, {1 << 30, "1 GiB and more"},
}

func labels(bands []band) []string {
	names := make([]string, len(bands))
	for i := range bands {
		names[i] = bands[i].label
	}
	return names
}

func appendBand(dst []byte, bands []band, n int64) []byte {
	i := len(bands) - 1
	for bands[i].from > n {
		i--
	}
	return append(dst, bands[i].label...)
}

func appendAge(dst []byte, e *entry.Entry, c *entry.Context) ([]byte, bool) {
	age, known := ageField.Number(e, c)
	if !known {
		return dst, false
	}
	return appendBand(dst, ageBands, age), true
}

func appendSize(dst []byte, e *entry.Entry, _ *entry.Context) ([]byte, bool) {
	if !e.HasSize() {
		return dst, false
	}
	return appendBand(dst, sizeBands, e.Size), true
}
