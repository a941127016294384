package upkeep

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"frankledger/core/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestParseKeep(t *testing.T) {
	for text, want := range map[string]Keep{"14 days, 8 weeks,12 months": {14, 8, 12, 0}, "1 day": {1, 0, 0, 0}, " 3 years ": {0, 0, 0, 3}, "2 weeks, 1 year": {0, 2, 0, 1}} {
		got, err := ParseKeep(text)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	for _, text := range []string{"", "14", "days", "0 days", "-1 days", "3 fortnights", "1 day, 2 days", "14 days 8 weeks", "1.5 days", "99999999999999999999 days"} {
		_, err := ParseKeep(text)
		assert.ErrorIs(t, err, ErrKeep, text)
	}
}

// What stays is what the words say, day by day, week by week and so on: each record is held against
// all others. Which is the newest goes by the order in which they were made, whatever the clock said.
func TestSpare(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Berlin")
	if err != nil {
		zone = time.FixedZone("east", 3600)
	}
	random := rand.New(rand.NewPCG(rand.Uint64(), 4))
	now := time.Date(2026, 11, 26, 18, 0, 0, 0, zone)
	names := func(at time.Time) [4]string {
		at = at.In(zone)
		year, week := at.ISOWeek()
		return [4]string{at.Format(time.DateOnly), fmt.Sprint(year, "-", week), at.Format("2006-01"), at.Format("2006")}
	}
	for range 60 {
		k := Keep{random.IntN(20), random.IntN(12), random.IntN(15), random.IntN(4)}
		var records []ledger.Record
		for i := range 1 + random.IntN(120) {
			records = append(records, ledger.Record{Number: int64(i + 1), Turn: int64(i + 1), PlaceNumber: int64(random.IntN(2)), Label: []string{"a", "b"}[random.IntN(2)], Taken: now.Add(-time.Duration(random.Int64N(int64(1200 * 24 * time.Hour)))).Add(24 * time.Hour)})
		}
		spare := k.Spare(records, now, zone)
		for _, r := range records {
			isNewest := func(kind int, name string) bool {
				return !slices.ContainsFunc(records, func(o ledger.Record) bool {
					return o.PlaceNumber == r.PlaceNumber && o.Label == r.Label && (kind < 0 || names(o.Taken)[kind] == name) && o.Turn > r.Turn
				})
			}
			stays := r.Taken.After(now) || isNewest(-1, "")
			for i := range k.Days {
				stays = stays || names(r.Taken)[0] == names(now.AddDate(0, 0, -i))[0] && isNewest(0, names(r.Taken)[0])
			}
			for i := range k.Weeks {
				stays = stays || names(r.Taken)[1] == names(now.AddDate(0, 0, -7*i))[1] && isNewest(1, names(r.Taken)[1])
			}
			first := time.Date(2026, 11, 1, 12, 0, 0, 0, zone)
			for i := range k.Months {
				stays = stays || names(r.Taken)[2] == names(first.AddDate(0, -i, 0))[2] && isNewest(2, names(r.Taken)[2])
			}
			for i := range k.Years {
				stays = stays || names(r.Taken)[3] == fmt.Sprint(2026-i) && isNewest(3, names(r.Taken)[3])
			}
			spared := slices.ContainsFunc(spare, func(s ledger.Record) bool { return s.Number == r.Number })
			require.Equal(t, stays, !spared, "%v of %v, keeping %v", r.Taken, r.Label, k)
		}
	}
}
