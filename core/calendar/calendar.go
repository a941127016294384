// Package calendar says when days, months and years begin in a time zone, also where clocks are changed at midnight.
package calendar

import "time"

// Date is a day of the calendar.
type Date struct {
	Year  int
	Month time.Month
	Day   int
}

// reach is further than any change of clocks can be from the midnight that it
// affects.
const reach = 49 * time.Hour

// Start returns when a day begins in a zone: the moment from which on it is never
// again an earlier day. Mostly that is midnight; where clocks are put forward at
// midnight it is the hour that comes instead, and where they are put back after it,
// midnight the second time. A day that a zone has left out begins when the one after
// it does. Days and months beyond the end of a month or a year are those that
// follow.
func Start(d Date, zone *time.Location) time.Time {
	midnight := time.Date(d.Year, d.Month, d.Day, 0, 0, 0, 0, time.UTC)
	var start time.Time
	for t := midnight.Add(-reach).In(zone); t.Before(midnight.Add(reach)); {
		from, to := t.ZoneBounds() // of one offset
		_, offset := t.Zone()
		// Until then it is an earlier day by this offset.
		until := midnight.Add(-time.Duration(offset) * time.Second)
		if from.IsZero() || until.After(from) {
			if !to.IsZero() && to.Before(until) {
				until = to
			}
			if until.After(start) || start.IsZero() {
				start = until
			}
		}
		if to.IsZero() {
			break
		}
		t = to
	}
	return start.In(zone)
}

// Of returns the day that a moment lies in: at or after its start, and before that
// of the next.
func Of(t time.Time, zone *time.Location) Date {
	t = t.In(zone)
	var d Date
	d.Year, d.Month, d.Day = t.Date()
	if _, to := t.ZoneBounds(); !to.IsZero() && to.Sub(t) < reach && t.Before(Start(d, zone)) {
		before := time.Date(d.Year, d.Month, d.Day-1, 0, 0, 0, 0, time.UTC)
		d.Year, d.Month, d.Day = before.Date()
	}
	return d
}

// Day returns when the day that lies so many days after a day begins and ends.
func Day(d Date, after int, zone *time.Location) (from, to time.Time) {
	return Start(Date{d.Year, d.Month, d.Day + after}, zone), Start(Date{d.Year, d.Month, d.Day + after + 1}, zone)
}

// Month returns when a month begins and ends.
func Month(year int, month time.Month, zone *time.Location) (from, to time.Time) {
	return Start(Date{year, month, 1}, zone), Start(Date{year, month + 1, 1}, zone)
}

// Year returns when a year begins and ends.
func Year(year int, zone *time.Location) (from, to time.Time) {
	return Start(Date{year, 1, 1}, zone), Start(Date{year + 1, 1, 1}, zone)
}
