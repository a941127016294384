package calendar

import (
	"encoding/binary"
	"fmt"
	"regexp"
	"sync"
	"time"
)

// ofZone is what a time zone looks like in the form of POSIX: a name and an offset, and
// mostly another name for daylight saving time, with rules (POSIX.1-2024, section 8.3, TZ).
var ofZone = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^([A-Za-z]{3,}|<[A-Za-z0-9+-]{3,}>)[+-]?\d{1,3}(:\d{1,2}){0,2}(([A-Za-z]{3,}|<[A-Za-z0-9+-]{3,}>).*)?$`)
})

// ParseZone returns the time zone that the text describes, in the form that POSIX has for the
// variable TZ: JST-9, or CET-1CEST,M3.5.0,M10.5.0/3.
func ParseZone(text string) (*time.Location, error) {
	if !ofZone().MatchString(text) {
		return nil, fmt.Errorf("%q is no time zone in the form of POSIX", text)
	}
	zone, err := time.LoadLocationFromTZData(text, rulesOnly(text))
	if err != nil {
		return nil, fmt.Errorf("%q is no time zone in the form of POSIX: %w", text, err)
	}
	// A rule that is not understood is passed over by the library, which then has the first offset.
	for _, at := range []time.Time{time.Unix(0, 0), time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2024, 7, 1, 0, 0, 0, 0, time.UTC)} {
		if name, _ := at.In(zone).Zone(); name == notThere {
			return nil, fmt.Errorf("%q is no time zone in the form of POSIX", text)
		}
	}
	return zone, nil
}

// notThere names the offset that applies where the rules were not understood.
const notThere = "?"

// rulesOnly returns a file of a time zone (TZif, RFC 9636) that has one change, long ago, and
// rules for all that comes after it.
func rulesOnly(rules string) []byte {
	header := func(version byte, changes, types, names int) (h []byte) {
		h = append([]byte("TZif"), version)
		h = append(h, make([]byte, 15)...)
		for _, n := range []int{0, 0, 0, changes, types, names} {
			h = binary.BigEndian.AppendUint32(h, uint32(n))
		}
		return h
	}
	offset := append(make([]byte, 6), notThere+"\x00"...) // of no seconds, no daylight saving, its name
	file := append(header('2', 0, 1, 2), offset...)
	file = append(file, header('2', 1, 1, 2)...)
	file = binary.BigEndian.AppendUint64(file, 1<<63) // the earliest there is
	return append(append(append(file, 0), offset...), "\n"+rules+"\n"...)
}
