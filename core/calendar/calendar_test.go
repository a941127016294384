package calendar_test

import (
	"archive/zip"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/calendar"
)

// zones returns all zones of the zone database that Go comes with.
func zones(t *testing.T) (names []string) {
	root, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)
	all, err := zip.OpenReader(filepath.Join(strings.TrimSpace(string(root)), "lib/time/zoneinfo.zip"))
	if err != nil {
		t.Skip("there is no list of zones:", err)
	}
	defer all.Close()
	for _, file := range all.File {
		if !strings.HasSuffix(file.Name, "/") {
			names = append(names, file.Name)
		}
	}
	return names
}

// before reports whether a moment's date is before a day.
func before(t time.Time, d calendar.Date) bool {
	y, m, day := t.Date()
	return time.Date(y, m, day, 0, 0, 0, 0, time.UTC).Before(time.Date(d.Year, d.Month, d.Day, 0, 0, 0, 0, time.UTC))
}

// In every zone, around every change of clocks that there was or will be, a day
// begins when it is never again an earlier one, days follow one another without a
// gap, and every moment lies in the day whose bounds it is between.
func TestDaysInEveryZone(t *testing.T) {
	t.Parallel()
	checked := 0
	for _, name := range zones(t) {
		zone, err := time.LoadLocation(name)
		if err != nil {
			continue // Factory, for instance
		}
		for at := time.Date(1880, 1, 1, 0, 0, 0, 0, zone); at.Year() < 2040; {
			_, change := at.ZoneBounds()
			if change.IsZero() {
				break
			}
			at = change
			y, m, d := change.Date()
			for around := -1; around <= 2; around++ {
				day := calendar.Date{Year: y, Month: m, Day: d + around}
				from, to := calendar.Day(day, 0, zone)
				require.True(t, before(from.Add(-1), day), "%s %v %v", name, day, from)
				for moment := from; moment.Sub(from) < 72*time.Hour; { // after which only a change could bring an earlier day
					require.False(t, before(moment, day), "%s %v %v: at %v", name, day, from, moment)
					_, next := moment.ZoneBounds()
					if next.IsZero() {
						break
					}
					moment = next
				}
				next, _ := calendar.Day(day, 1, zone)
				require.Equal(t, to, next)
				require.False(t, to.Before(from))
				for _, moment := range []time.Time{from, from.Add(to.Sub(from) / 2), to.Add(-1), from.Add(30 * time.Minute)} {
					if moment.Before(from) || !moment.Before(to) {
						continue
					}
					of := calendar.Of(moment, zone)
					first, last := calendar.Day(of, 0, zone)
					require.True(t, !moment.Before(first) && moment.Before(last), "%s %v lies in %v, which is from %v to %v", name, moment, of, first, last)
				}
				checked++
			}
		}
	}
	assert.Greater(t, checked, 100_000)
}

func TestDaysThatBeginLate(t *testing.T) {
	for _, c := range []struct {
		zone       string
		day        calendar.Date
		from, upTo string
	}{
		{"Africa/Cairo", calendar.Date{Year: 2026, Month: 4, Day: 24}, "2026-04-24T01:00:00+03:00", "2026-04-25T00:00:00+03:00"},
		{"Africa/Cairo", calendar.Date{Year: 2026, Month: 4, Day: 23}, "2026-04-23T00:00:00+02:00", "2026-04-24T01:00:00+03:00"},
		{"America/Santiago", calendar.Date{Year: 2026, Month: 9, Day: 6}, "2026-09-06T01:00:00-03:00", "2026-09-07T00:00:00-03:00"},
		{"America/Sao_Paulo", calendar.Date{Year: 2018, Month: 11, Day: 4}, "2018-11-04T01:00:00-02:00", "2018-11-05T00:00:00-02:00"},
		{"America/Sao_Paulo", calendar.Date{Year: 2018, Month: 2, Day: 17}, "2018-02-17T00:00:00-02:00", "2018-02-18T00:00:00-03:00"},
		{"Pacific/Apia", calendar.Date{Year: 2011, Month: 12, Day: 30}, "2011-12-31T00:00:00+14:00", "2011-12-31T00:00:00+14:00"},
		{"Europe/Berlin", calendar.Date{Year: 2026, Month: 11, Day: 31}, "2026-12-01T00:00:00+01:00", "2026-12-02T00:00:00+01:00"},
		{"UTC", calendar.Date{Year: 2026, Month: 2, Day: 28}, "2026-02-28T00:00:00Z", "2026-03-01T00:00:00Z"},
	} {
		zone, err := time.LoadLocation(c.zone)
		require.NoError(t, err)
		from, to := calendar.Day(c.day, 0, zone)
		assert.Equal(t, c.from, from.Format(time.RFC3339), c.zone)
		assert.Equal(t, c.upTo, to.Format(time.RFC3339), c.zone)
	}
}
