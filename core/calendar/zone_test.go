package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/calendar"
)

// Zones in the form of POSIX agree with those of the zone database that have the same rules now.
func TestParseZone(t *testing.T) {
	for text, name := range map[string]string{
		"JST-9": "Asia/Tokyo", "EST5EDT,M3.2.0,M11.1.0": "America/New_York", "EST5EDT": "America/New_York", "<+0530>-5:30": "Asia/Kolkata",
		"CET-1CEST,M3.5.0,M10.5.0/3": "Europe/Berlin", "<+0545>-05:45": "Asia/Kathmandu", "AEST-10AEDT,M10.1.0,M4.1.0/3": "Australia/Sydney", "UTC0": "UTC",
	} {
		zone, err := calendar.ParseZone(text)
		require.NoError(t, err)
		known, err := time.LoadLocation(name)
		require.NoError(t, err)
		for at := time.Date(2024, 1, 1, 0, 30, 0, 0, time.UTC); at.Year() < 2030; at = at.Add(7 * time.Hour) {
			_, is := at.In(zone).Zone()
			_, want := at.In(known).Zone()
			require.Equal(t, want, is, "%s at %s", text, at)
		}
	}
	for _, text := range []string{"", "Europe/Berlin", "JST", "9", "EST5EDT,nonsense", "<>5", "UTC+99999", "EST5EDT,M13.1.0,M11.1.0"} {
		_, err := calendar.ParseZone(text)
		assert.Error(t, err, text)
	}
}
