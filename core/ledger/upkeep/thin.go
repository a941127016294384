package upkeep

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"frankledger/core/calendar"
	"frankledger/core/ledger"
)

// Keep says which records of a place stay when a ledger is thinned: of each of the last so many
// days, weeks, months and years, this one included, the newest. Weeks begin on Monday (ISO
// 8601).
type Keep struct{ Days, Weeks, Months, Years int }

// ErrKeep is returned for text this does not say what to keep.
var ErrKeep = errors.New("this does not say what to keep")

// ParseKeep reads what to keep: numbers of days, weeks, months and years, separated by commas.
func ParseKeep(text string) (k Keep, err error) {
	seen := map[*int]bool{}
	for part := range strings.SplitSeq(text, ",") {
		words := strings.Fields(part)
		if len(words) != 2 {
			return Keep{}, fmt.Errorf("%w: %q should be a number and a word, such as 14 days", ErrKeep, strings.TrimSpace(part))
		}
		to := map[string]*int{"day": &k.Days, "week": &k.Weeks, "month": &k.Months, "year": &k.Years}[strings.TrimSuffix(words[1], "s")]
		switch {
		case to == nil:
			return Keep{}, fmt.Errorf("%w: %q should be days, weeks, months or years", ErrKeep, words[1])
		case seen[to]:
			return Keep{}, fmt.Errorf("%w: it says %s twice", ErrKeep, words[1])
		}
		seen[to] = true
		if *to, err = strconv.Atoi(words[0]); err != nil || *to < 1 || *to > 100_000 {
			return Keep{}, fmt.Errorf("%w: %q should be a number from 1 on", ErrKeep, words[0])
		}
	}
	return k, nil
}

// Spare returns the records that can go, by the places and the terms of records: of each, the
// newest stays in any case. The calendar is that of the zone, at a moment.
func (k Keep) Spare(records []ledger.Record, now time.Time, zone *time.Location) (spare []ledger.Record) {
	type series struct {
		place int64
		label string
	}
	last := map[series]ledger.Record{} // the newest of each
	newer := func(a, b ledger.Record) bool { return ledger.ByTurn(a, b) > 0 }
	type period struct {
		of   series
		kind int
		back int // how many before this one
	}
	newest := map[period]ledger.Record{}
	for _, r := range records {
		of := series{r.PlaceNumber, r.Label}
		if first, met := last[of]; !met || newer(r, first) {
			last[of] = r
		}
		for kind, back := range ago(r.Taken, now, zone) {
			at := period{of, kind, back}
			if first, met := newest[at]; !met || newer(r, first) {
				newest[at] = r
			}
		}
	}
	for _, r := range records {
		of := series{r.PlaceNumber, r.Label}
		stays := last[of].Number == r.Number || r.Taken.After(now)
		for kind, back := range ago(r.Taken, now, zone) {
			most := [...]int{k.Days, k.Weeks, k.Months, k.Years}[kind]
			stays = stays || back < most && newest[period{of, kind, back}].Number == r.Number
		}
		if !stays {
			spare = append(spare, r)
		}
	}
	return spare
}

// ago is how many days, weeks, months and years ago a moment was, by the calendar.
func ago(moment, now time.Time, zone *time.Location) [4]int {
	days := func(d calendar.Date) int { // since a Monday
		return int(time.Date(d.Year, d.Month, d.Day, 0, 0, 0, 0, time.UTC).Unix()/86400) + 3
	}
	floor := func(n, by int) int {
		if n < 0 {
			n -= by - 1
		}
		return n / by
	}
	then, today := calendar.Of(moment, zone), calendar.Of(now, zone)
	months := func(d calendar.Date) int { return 12*d.Year + int(d.Month) }
	return [4]int{days(today) - days(then), floor(days(today), 7) - floor(days(then), 7), months(today) - months(then), today.Year - then.Year}
}
