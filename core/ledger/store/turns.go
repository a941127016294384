package store

import "time"

// MostTurn is the last turn that a record can have. As a time it lies in the year 2116. Records
// past it share it, and come in the order of their numbers.
const MostTurn = 1 << 62

// TurnAt is the turn of a record that is taken at a moment, if the clock was never set back.
func TurnAt(moment time.Time) int64 {
	if moment.Before(time.Unix(0, 1)) {
		return 1
	}
	if moment.After(time.Unix(0, MostTurn)) {
		return MostTurn
	}
	return moment.UnixNano()
}

// FillTurns gives turns to the records of earlier programs, which have none: the latest time that one of
// their place was taken at by then. The rows come in the order in which they were written.
func FillTurns(rows []RecordRow) {
	type place struct{ host, path string }
	latest := map[place]int64{}
	for i := range rows {
		r := &rows[i]
		if r.Turn > 0 {
			continue
		}
		of := place{r.Host, r.Path}
		latest[of] = max(latest[of], 1, TurnAt(r.Taken))
		r.Turn = latest[of]
	}
}
