package row

import (
	"cmp"
	"math"
	"strconv"
	"time"
)

// Moment is a moment as file systems keep it: seconds since the start of 1970 in
// UTC, and nanoseconds within the second. Unlike a count of nanoseconds in 64
// bits it holds every moment a file system can.
type Moment struct {
	Sec  int64
	Nsec uint32
}

// MomentOf converts from the standard library's time.
func MomentOf(t time.Time) Moment { return Moment{t.Unix(), uint32(t.Nanosecond())} }

// Std converts to the standard library's time, in UTC.
func (t Moment) Std() time.Time { return time.Unix(t.Sec, int64(t.Nsec)).UTC() }

// Compare orders moments, the earlier first.
func (t Moment) Compare(u Moment) int {
	if c := cmp.Compare(t.Sec, u.Sec); c != 0 {
		return c
	}
	return cmp.Compare(t.Nsec, u.Nsec)
}

// Until returns the whole seconds from the moment to another, rounded down: the largest number
// there is, or the least, where they are more.
func (t Moment) Until(u Moment) int64 {
	seconds := u.Sec - t.Sec
	switch {
	case u.Sec >= 0 && t.Sec < 0 && seconds < 0:
		return math.MaxInt64
	case u.Sec < 0 && t.Sec >= 0 && seconds >= 0:
		return math.MinInt64
	case u.Nsec < t.Nsec && seconds > math.MinInt64:
		seconds--
	}
	return seconds
}

const secondsPerDay = 86400

// Years 0000 to 9999, which RFC 3339 can write.
const (
	firstRFC3339 = -62167219200
	lastRFC3339  = 253402300799
)

// AppendRFC3339 appends the moment in UTC after RFC 3339 with nine digits of
// fraction, such as 2026-11-23T06:25:21.000000000Z. A year above 9999 or below
// 0 is written in full with its sign, the expanded form of ISO 8601.
func (t Moment) AppendRFC3339(dst []byte) []byte {
	days := t.Sec / secondsPerDay
	rest := t.Sec % secondsPerDay
	if rest < 0 {
		rest += secondsPerDay
		days--
	}
	year, month, day := civil(days)
	if t.Sec < firstRFC3339 || t.Sec > lastRFC3339 {
		if year >= 0 {
			dst = append(dst, '+')
		}
		dst = strconv.AppendInt(dst, year, 10)
	} else {
		dst = pad(dst, uint64(year), 4)
	}
	dst = append(dst, '-')
	dst = pad(dst, month, 2)
	dst = append(dst, '-')
	dst = pad(dst, day, 2)
	dst = append(dst, 'T')
	dst = pad(dst, uint64(rest/3600), 2)
	dst = append(dst, ':')
	dst = pad(dst, uint64(rest/60%60), 2)
	dst = append(dst, ':')
	dst = pad(dst, uint64(rest%60), 2)
	dst = append(dst, '.')
	dst = pad(dst, uint64(t.Nsec), 9)
	return append(dst, 'Z')
}

// civil turns days since 1970-01-01 into a date of the Gregorian calendar,
// counting from the first of March so that the leap day comes last in a year.
func civil(days int64) (year int64, month, day uint64) {
	const era = 146097 // days in 400 years
	days += 719468     // days from 0000-03-01 to 1970-01-01
	eras := days / era
	if days%era < 0 {
		eras--
	}
	doe := days - eras*era
	yoe := (doe - doe/1460 + doe/36524 - doe/146096) / 365
	doy := doe - (365*yoe + yoe/4 - yoe/100)
	mp := (5*doy + 2) / 153
	day = uint64(doy-(153*mp+2)/5) + 1
	year = yoe + eras*400
	if mp < 10 {
		return year, uint64(mp) + 3, day
	}
	return year + 1, uint64(mp) - 9, day
}

// pad appends n in decimal, filled with zeros to the width.
func pad(dst []byte, n uint64, width int) []byte {
	var digits [20]byte
	i := len(digits)
	for n > 0 || width > 0 {
		i--
		digits[i] = byte('0' + n%10)
		n /= 10
		width--
	}
	return append(dst, digits[i:]...)
}
