package tally_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/tally"
)

type accounts struct{}

func (accounts) UserDoubted(uint32) bool        { return false }
func (accounts) GroupDoubted(uint32) bool       { return false }
func (accounts) User(id uint32) (string, bool)  { return fmt.Sprint("user-", id), true }
func (accounts) Group(id uint32) (string, bool) { return fmt.Sprint("group-", id), true }

var asOf = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func file(name string, size int64, age time.Duration) entry.Entry {
	return entry.Entry{Folder: &entry.Folder{Place: &entry.Place{Given: "p"}}, Name: name, Kind: entry.KindFile, Known: entry.FactStatus, Links: 1,
		Size: size, Disk: size, Modified: entry.TimeOf(asOf.Add(-age))}
}

func count(t *testing.T, by string, entries ...entry.Entry) *tally.Tally {
	dimensions, err := tally.ParseDimensions(by, time.UTC)
	require.NoError(t, err)
	c := tally.New(dimensions, &entry.Context{AsOf: asOf, Accounts: accounts{}})
	one, two := c.Visitor(), c.Visitor()
	for i := range entries {
		visit := one
		if i%2 == 1 {
			visit = two
		}
		require.NoError(t, visit(entries[i:i+1]))
	}
	return c
}

func keys(groups []*tally.Group) (list []string) {
	for _, g := range groups {
		text := ""
		for i, k := range g.Keys {
			if i > 0 {
				text += " "
			}
			if k.Absent {
				text += "-"
			}
			text += k.Text
		}
		list = append(list, fmt.Sprintf("%s: %d %d", text, g.Sum.Entries(), g.Sum.Size))
	}
	return list
}

// However far away a moment is, it has its place.
func TestFaraway(t *testing.T) {
	at := func(name string, sec int64) entry.Entry {
		e := file(name, 0, 0)
		e.Modified = entry.Time{Sec: sec}
		return e
	}
	all := []entry.Entry{at("a", math.MinInt64), at("b", -9e18), at("c", 9e18), at("d", math.MaxInt64)}
	assert.Equal(t, []string{"in the future: 2 0", "older: 2 0"}, keys(count(t, "age", all...).Groups(0)))
	assert.ElementsMatch(t, []string{"-292277022657-01: 1 0", "-285198644592-09: 1 0", "285198648531-04: 1 0", "292277026596-12: 1 0"}, keys(count(t, "month", all...).Groups(0)))
	almost := file("e", 0, 0)
	almost.Modified.Nsec = 1 // a nanosecond from now
	assert.Equal(t, []string{"in the future: 1 0"}, keys(count(t, "age", almost).Groups(0)))
}

// Bands start where they say, and come in their order.
func TestBands(t *testing.T) {
	const day = 24 * time.Hour
	c := count(t, "age", file("a", 1, -time.Second), file("b", 1, 0), file("c", 1, time.Hour-time.Second), file("d", 1, time.Hour), file("e", 1, day),
		file("f", 1, 7*day), file("g", 1, 30*day), file("h", 1, 90*day), file("i", 1, 365*day), file("j", 1, 2*365*day), file("k", 1, 5*365*day-time.Second), file("l", 1, 5*365*day))
	assert.Equal(t, []string{"in the future: 1 1", "within the hour: 2 2", "within a day: 1 1", "within a week: 1 1", "within 30 days: 1 1", "within 90 days: 1 1",
		"within a year: 1 1", "within 2 years: 1 1", "within 5 years: 2 2", "older: 1 1"}, keys(c.Groups(0)))
	folder := entry.Entry{Folder: &entry.Folder{Place: &entry.Place{}}, Name: "f", Kind: entry.KindFolder, Known: entry.FactStatus}
	c = count(t, "size", file("a", 0, 0), file("b", 1, 0), file("c", 1023, 0), file("d", 1024, 0), file("e", 1<<20, 0), file("f", 1<<30, 0), file("g", 1<<62, 0), folder)
	assert.Equal(t, []string{"empty: 1 0", "under 1 KiB: 2 1024", "1 KiB to 10 KiB: 1 1024", "1 MiB to 10 MiB: 1 1048576", fmt.Sprintf("1 GiB and more: 2 %d", 1<<62+1<<30), "-: 1 0"}, keys(c.Groups(0)))
}

func TestOrderAndRest(t *testing.T) {
	entries := []entry.Entry{file("a.wav", 100, time.Hour), file("b.csv", 10, 3*time.Hour), file("c.csv", 20, 2*time.Hour), file("d", 5, 0), file("e.WAV", 1, 0)}
	c := count(t, "ext", entries...)
	groups := c.Groups(0)
	assert.Equal(t, []string{"wav: 2 101", "csv: 2 30", "-: 1 5"}, keys(groups), "the heaviest first, letter case aside")
	assert.Equal(t, int64(20), groups[1].Largest)
	assert.Equal(t, entry.TimeOf(asOf.Add(-3*time.Hour)), groups[1].Oldest)
	assert.Equal(t, entry.TimeOf(asOf.Add(-2*time.Hour)), groups[1].Sum.Newest)
	share := int64(0)
	for _, g := range groups {
		share += g.Share
	}
	assert.InDelta(t, 1_000_000, share, 3)
	first := count(t, "ext", entries...).Groups(1)
	require.Len(t, first, 2)
	assert.True(t, first[1].Rest)
	assert.Equal(t, []any{2, int64(3), int64(35)}, []any{first[1].Left, first[1].Sum.Entries(), first[1].Sum.Size})
	assert.Equal(t, []string{"2026-11: 5 136"}, keys(count(t, "month", entries...).Groups(0)))
	assert.Equal(t, []string{"1: 5 136"}, keys(count(t, "depth", entries...).Groups(0)))
	assert.Equal(t, []string{"user-0: 5 136"}, keys(count(t, "owner", entries...).Groups(0)))
}

// A file with several names is counted in the group of the first of them, in
// whatever order they come.
func TestNamesCountOnce(t *testing.T) {
	random := rand.New(rand.NewPCG(2, 2))
	names := []entry.Entry{file("b.csv", 50, 0), file("a.wav", 50, 0), file("c.csv", 50, 0)}
	for i := range names {
		names[i].Links, names[i].Inode = 3, 7
	}
	for range 10 {
		random.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
		assert.Equal(t, []string{"wav: 1 50", "csv: 2 0"}, keys(count(t, "ext", names...).Groups(0)))
	}
}

func TestCross(t *testing.T) {
	c := count(t, "ext,hidden", file("a.wav", 3, 0), file(".b.wav", 2, 0), file("c.csv", 1, 0)).Cross()
	assert.Equal(t, []tally.Key{{Text: "csv"}, {Text: "wav"}}, c.Down)
	assert.Equal(t, []tally.Key{{Text: "false"}, {Text: "true"}}, c.Across)
	assert.EqualValues(t, 2, c.Cells[[2]tally.Key{{Text: "wav"}, {Text: "true"}}].Sum.Size)
	assert.Nil(t, c.Cells[[2]tally.Key{{Text: "csv"}, {Text: "true"}}])
}

func TestParseDimensions(t *testing.T) {
	for _, word := range tally.Words() {
		d, err := tally.ParseDimensions(word, time.UTC)
		require.NoError(t, err, word)
		assert.Equal(t, word, d[0].Name)
	}
	for text, says := range map[string]string{"": "there are", "exd": "did you mean ext?", "modified": "did you mean", "modified/week": "cannot group", "age,age": "twice", "ext,kind,age": "more than two"} {
		_, err := tally.ParseDimensions(text, time.UTC)
		assert.ErrorContains(t, err, says, text)
		assert.ErrorIs(t, err, tally.ErrDimension)
	}
}
