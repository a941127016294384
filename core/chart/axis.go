package chart

import (
	"math"
	"time"
)

// Axis maps values onto a length.
type Axis struct {
	Min, Max float64 // of the values; Max is more than Min
	From, To float64 // where these are
}

// At returns where a value is.
func (a Axis) At(value float64) float64 {
	if a.Max <= a.Min {
		return a.From
	}
	return a.From + (value-a.Min)/(a.Max-a.Min)*(a.To-a.From)
}

// Steps says of what round numbers ticks are multiples.
type Steps uint8

const (
	Decimal Steps = iota // 1, 2 and 5 times a power of ten: after Heckbert, "Nice Numbers for Graph Labels" (1990)
	Binary               // powers of two, as bytes in KiB and MiB want them
	Whole                // as Decimal, and no less than one
)

// Ticks returns about so many round numbers from 0 on, of which the last is no less than max.
func Ticks(most float64, about int, steps Steps) []float64 {
	if !(most > 0) || math.IsInf(most, 0) {
		most = 1
	}
	step := roundStep(most/float64(max(1, about)), steps)
	var ticks []float64
	for i := 0; ; i++ {
		ticks = append(ticks, float64(i)*step)
		if ticks[i] >= most {
			return ticks
		}
	}
}

// roundStep returns the least round number that is no less.
func roundStep(step float64, steps Steps) float64 {
	if steps == Whole {
		step = max(step, 1)
	}
	if steps == Binary {
		return math.Exp2(math.Ceil(math.Log2(max(step, 1)) - 1e-9))
	}
	power := math.Pow(10, math.Floor(math.Log10(step)))
	for _, times := range []float64{1, 2, 5} {
		if times*power >= step*(1-1e-9) {
			return times * power
		}
	}
	return 10 * power
}

// Dates returns about so many round moments between two: the beginnings of hours, days, weeks,
// months, quarters or years in the zone of the first.
func Dates(from, to time.Time, about int) (ticks []time.Time, layout string) {
	span := to.Sub(from) / time.Duration(max(1, about))
	day := 24 * time.Hour
	zone := from.Location()
	year, month, date := from.Date()
	var at time.Time
	var next func(time.Time) time.Time
	layout = "2006-01-02"
	months := func(n int) func(time.Time) time.Time {
		return func(t time.Time) time.Time { return t.AddDate(0, n, 0) }
	}
	days := func(n int) func(time.Time) time.Time {
		return func(t time.Time) time.Time { return t.AddDate(0, 0, n) }
	}
	switch {
	case span <= 6*time.Hour:
		hours := max(1, int((span+time.Hour-1)/time.Hour))
		at, layout = time.Date(year, month, date, 0, 0, 0, 0, zone), "01-02 15:04"
		next = func(t time.Time) time.Time { return t.Add(time.Duration(hours) * time.Hour) }
	case span <= 3*day:
		at, next = time.Date(year, month, date, 0, 0, 0, 0, zone), days(max(1, int((span+day-1)/day)))
	case span <= 14*day:
		at, next = time.Date(year, month, date, 0, 0, 0, 0, zone), days(7*max(1, int((span+7*day-1)/(7*day))))
		for at.Weekday() != time.Monday {
			at = at.AddDate(0, 0, -1)
		}
	case span <= 200*day:
		at, next, layout = time.Date(year, month, 1, 0, 0, 0, 0, zone), months(1), "2006-01"
		if span > 31*day {
			at, next = time.Date(year, (month-1)/3*3+1, 1, 0, 0, 0, 0, zone), months(3)
		}
		if span > 92*day {
			at, next = time.Date(year, (month-1)/6*6+1, 1, 0, 0, 0, 0, zone), months(6)
		}
	default:
		years := max(1, int((span+365*day-1)/(365*day)))
		at, layout = time.Date(year, 1, 1, 0, 0, 0, 0, zone), "2006"
		next = func(t time.Time) time.Time { return t.AddDate(years, 0, 0) }
	}
	for ; !at.After(to); at = next(at) {
		if !at.Before(from) {
			ticks = append(ticks, at)
		}
	}
	return ticks, layout
}
