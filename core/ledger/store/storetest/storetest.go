// Package storetest has the tests that every engine must pass, each case in a store of its own.
package storetest

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Test checks an engine. The function opens a store that is empty and can be written to. So many changes are made at
// random, by a seed.
func Test(t *testing.T, open func(t *testing.T) store.Store, seed uint64, changes int) {
	for name, test := range map[string]func(*testing.T, store.Store){
		"a record comes back":             record,
		"what fails leaves nothing":       failure,
		"segments and layers":             segments,
		"records of a choice":             choice,
		"stamps are of the newest record": stamps,
		"what was read again":             rereads,
		"what is taken away":              removal,
		"what is given up leaves nothing": givenUp,
		"changes at random":               func(t *testing.T, s store.Store) { atRandom(t, s, seed, changes) },
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := open(t)
			t.Cleanup(func() { assert.NoError(t, s.Close()) })
			test(t, s)
			s.Release()
			faults, err := s.Check(t.Context())
			require.NoError(t, err)
			assert.Empty(t, faults)
			altered, err := s.Altered(t.Context())
			require.NoError(t, err)
			assert.Empty(t, altered)
		})
	}
}

const host = "tern-point"

// at is a moment in the life of the sample.
func at(day int) time.Time { return time.Unix(1_700_000_000+int64(day)*86400, 123) }

// row is a record with something in each field.
func row(label string, day int) store.RecordRow {
	return store.RecordRow{Host: host, Path: "/srv/\xff\n", Label: label, Turn: int64(day), Taken: at(day), Note: "a note", Terms: []string{"--hidden", "omit"}, Algorithm: "sha256",
		Entries: 7, Bytes: 1 << 40, Unsized: 2, Looked: 5, Hidden: 1, Counted: true, Tree: encoding.Hash{1, 2, byte(day)}, Self: encoding.PackSelf(&entry.Entry{Kind: entry.KindFolder})}
}

// add adds a record, and does more in the same update.
func add(t *testing.T, s store.Store, r store.RecordRow, more func(u store.Update, number, place int64) error) (number, place int64) {
	t.Helper()
	require.NoError(t, s.Reserve(t.Context(), r.Host))
	require.NoError(t, s.Update(t.Context(), func(u store.Update) (err error) {
		if number, place, err = u.AddRecord(t.Context(), r); err == nil && more != nil {
			err = more(u, number, place)
		}
		return err
	}))
	return number, place
}

// segment is one with a folder that holds a file.
func segment(t *testing.T, name string) (made encoding.Segment) {
	t.Helper()
	w := encoding.SegmentWriter{Write: func(_ context.Context, s encoding.Segment) error {
		made = encoding.Segment{Folders: append([]byte{}, s.Folders...), Names: append([]byte{}, s.Names...), Facts: append([]byte{}, s.Facts...)}
		return nil
	}}
	var p encoding.Packer
	p.Put(&entry.Entry{Name: name, Kind: entry.KindFile, Size: 3, Known: entry.FactStatus}, false, false)
	require.NoError(t, w.Add(t.Context(), &encoding.FolderVersion{Number: 1, Fresh: true, HasDelta: true}, p.Delta()))
	require.NoError(t, w.Flush(t.Context()))
	return made
}

func record(t *testing.T, s store.Store) {
	want := row("weekly", 1)
	problem := store.ProblemRow{Path: "a\xfe", Tried: "open", Reason: "permission denied", Entries: 3, Vanished: true}
	want.Number, want.Place = add(t, s, want, func(u store.Update, number, place int64) error {
		return errors.Join(u.AddProblem(t.Context(), number, problem), u.AddVolume(t.Context(), place, "disk", 1<<63+5), u.AddVolume(t.Context(), place, "disk", 9))
	})
	want.Problems = 1
	got, err := s.Records(t.Context())
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.True(t, want.Taken.Equal(got[0].Taken))
	got[0].Taken = want.Taken
	assert.Equal(t, want, got[0])
	problems, err := s.Problems(t.Context(), want.Number)
	require.NoError(t, err)
	assert.Equal(t, []store.ProblemRow{problem}, problems)
	volumes, err := s.Volumes(t.Context(), want.Place)
	require.NoError(t, err)
	assert.Equal(t, map[string]uint64{"disk": 1<<63 + 5}, volumes, "the first stays")
	hosts, err := s.Hosts(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{host}, hosts)
}

func failure(t *testing.T, s store.Store) {
	add(t, s, row("kept", 1), nil)
	broken := errors.New("broken")
	require.NoError(t, s.Reserve(t.Context(), host))
	err := s.Update(t.Context(), func(u store.Update) error {
		number, place, err := u.AddRecord(t.Context(), row("lost", 2))
		require.NoError(t, err)
		require.NoError(t, u.AddSegment(t.Context(), store.SegmentRow{Place: place, Record: number, Segment: segment(t, "x")}))
		return broken
	})
	require.ErrorIs(t, err, broken)
	records, err := s.Records(t.Context())
	require.NoError(t, err)
	require.Len(t, records, 1)
	assert.Equal(t, "kept", records[0].Label)
	left, err := s.Segments(t.Context(), store.All(records[0].Place))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func segments(t *testing.T, s store.Store) {
	first, second, layer := segment(t, "one"), segment(t, "another"), segment(t, "layer")
	one, place := add(t, s, row("l", 1), func(u store.Update, number, place int64) error {
		return u.AddSegment(t.Context(), store.SegmentRow{Place: place, Record: number, Segment: first})
	})
	two, _ := add(t, s, row("l", 2), func(u store.Update, number, place int64) error {
		return errors.Join(u.AddSegment(t.Context(), store.SegmentRow{Place: place, Record: number, Segment: second}),
			u.AddSegment(t.Context(), store.SegmentRow{Place: place, Record: number, Layer: true, Segment: layer}))
	})
	for _, c := range []struct {
		of   store.Range
		want []encoding.Segment
	}{{store.Range{Place: place, UpTo: one}, []encoding.Segment{first}}, {store.All(place), []encoding.Segment{first, second}}, {store.Range{Place: place, Layer: two, UpTo: two}, []encoding.Segment{layer}}} {
		got, err := s.Segments(t.Context(), c.of)
		require.NoError(t, err)
		require.Len(t, got, len(c.want))
		bands, err := s.Bands(t.Context(), c.of)
		require.NoError(t, err)
		summed := map[int64]bool{}
		for _, b := range bands {
			for _, segment := range b.Segments {
				summed[segment.Segment] = true
			}
		}
		for i, segment := range got {
			assert.Equal(t, c.want[i].Folders, segment.Folders)
			for part, want := range map[store.Part][]byte{store.Names: c.want[i].Names, store.Facts: c.want[i].Facts, store.Folders: c.want[i].Folders} {
				content, err := s.Part(t.Context(), segment.Number, part)
				require.NoError(t, err)
				assert.Equal(t, want, content)
			}
			assert.True(t, summed[segment.Number], "it has a summary")
		}
	}
	layers, err := s.Layers(t.Context(), place)
	require.NoError(t, err)
	require.Len(t, layers, 1)
	assert.Equal(t, two, layers[0].Record)
	laid, err := s.Laid(t.Context())
	require.NoError(t, err)
	assert.Equal(t, map[int64]int64{two: layers[0].Stored}, laid)
	require.NoError(t, s.Update(t.Context(), func(u store.Update) error {
		records, err := u.Records(t.Context())
		require.NoError(t, err)
		for _, r := range records {
			stored, err := u.Stored(t.Context(), r.Place, r.Number)
			require.NoError(t, err)
			assert.Positive(t, stored)
			assert.Equal(t, r.Stored, stored, "without its layer")
		}
		return u.RemoveLayer(t.Context(), two)
	}))
	layers, err = s.Layers(t.Context(), place)
	require.NoError(t, err)
	assert.Empty(t, layers)
	left, err := s.Segments(t.Context(), store.All(place))
	require.NoError(t, err)
	assert.Len(t, left, 2, "the records keep theirs")
}

func choice(t *testing.T, s store.Store) {
	numbers := map[string]int64{}
	for i, label := range []string{"b", "a", "b", "b"} {
		r := row(label, i+1)
		numbers[label+string(rune('1'+i))], _ = add(t, s, r, nil)
	}
	for _, c := range []struct {
		name string
		of   store.Choice
		want []string
	}{
		{"newest of each label", store.Choice{Newest: 1}, []string{"a2", "b4"}},
		{"two of one label", store.Choice{Label: "b", Newest: 2}, []string{"b4", "b3"}},
		{"before a moment", store.Choice{Label: "b", Before: at(4), Newest: 1}, []string{"b3"}},
		{"a number", store.Choice{Number: numbers["a2"]}, []string{"a2"}},
		{"another host", store.Choice{Hosts: []string{"elsewhere"}, Newest: 1}, nil},
	} {
		got, err := s.Select(t.Context(), c.of)
		require.NoError(t, err, c.name)
		var want, have []int64
		for _, name := range c.want {
			want = append(want, numbers[name])
		}
		for _, r := range got {
			have = append(have, r.Number)
		}
		assert.Equal(t, want, have, c.name)
		if c.of.Number > 0 {
			continue
		}
		moments, err := s.Moments(t.Context(), c.of)
		require.NoError(t, err, c.name)
		require.Len(t, moments, len(got), c.name)
		for i := range moments {
			assert.True(t, got[i].Taken.Equal(moments[i].Taken) && got[i].Label == moments[i].Label, c.name)
		}
	}
}

func stamps(t *testing.T, s store.Store) {
	one, place := add(t, s, row("l", 1), func(u store.Update, number, place int64) error {
		return u.SetStamps(t.Context(), place, number, []byte("12345678"))
	})
	content, err := s.Stamps(t.Context(), place, one)
	require.NoError(t, err)
	assert.Equal(t, []byte("12345678"), content)
	two, _ := add(t, s, row("l", 2), func(u store.Update, number, place int64) error {
		return u.SetStamps(t.Context(), place, number, []byte("abcdefgh"))
	})
	content, err = s.Stamps(t.Context(), place, one)
	require.NoError(t, err)
	assert.Empty(t, content)
	content, err = s.Stamps(t.Context(), place, two)
	require.NoError(t, err)
	assert.Equal(t, []byte("abcdefgh"), content)
}

func rereads(t *testing.T, s store.Store) {
	pass := store.RereadRow{Taken: at(1), From: 5, To: 3, Files: 2, Bytes: 9}
	m := store.MismatchRow{Path: "a\xff", Found: at(1), Algorithm: "md5", Before: []byte{1}, Now: []byte{2}}
	_, place := add(t, s, row("l", 1), func(u store.Update, number, place int64) error {
		m.Record = number
		return errors.Join(u.AddReread(t.Context(), place, pass), u.AddMismatch(t.Context(), place, m))
	})
	add(t, s, row("l", 2), func(u store.Update, number, place int64) error {
		again := m
		again.Record, again.Before, again.Now = number, []byte{2}, []byte{3}
		return u.AddMismatch(t.Context(), place, again)
	})
	passes, err := s.Rereads(t.Context(), place)
	require.NoError(t, err)
	require.Len(t, passes, 1)
	assert.True(t, pass.Taken.Equal(passes[0].Taken))
	passes[0].Taken = pass.Taken
	assert.Equal(t, pass, passes[0])
	found, err := s.Mismatches(t.Context(), place)
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Equal(t, []byte{1}, found[0].Before, "what it was before stays")
	assert.Equal(t, []byte{3}, found[0].Now)
	require.NoError(t, s.Update(t.Context(), func(u store.Update) error { return u.RemoveMismatch(t.Context(), place, m.Path) }))
	found, err = s.Mismatches(t.Context(), place)
	require.NoError(t, err)
	assert.Empty(t, found)
}

func removal(t *testing.T, s store.Store) {
	number, place := add(t, s, row("l", 1), func(u store.Update, number, place int64) error {
		return errors.Join(u.AddProblem(t.Context(), number, store.ProblemRow{Path: "x", Tried: "open", Reason: "y", Entries: 1}),
			u.AddSegment(t.Context(), store.SegmentRow{Place: place, Record: number, Segment: segment(t, "x")}))
	})
	id := string([]byte{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 255})
	require.NoError(t, s.Update(t.Context(), func(u store.Update) error {
		return errors.Join(u.AddDropped(t.Context(), host, id), u.RemoveSegments(t.Context(), number), u.RemoveRecord(t.Context(), number))
	}))
	records, err := s.Records(t.Context())
	require.NoError(t, err)
	assert.Empty(t, records)
	left, err := s.Segments(t.Context(), store.All(place))
	require.NoError(t, err)
	assert.Empty(t, left)
	dropped, err := s.Dropped(t.Context(), host)
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{id: true}, dropped)
	next, _ := add(t, s, row("l", 2), nil)
	assert.Greater(t, next, number, "no number is given twice")
}
