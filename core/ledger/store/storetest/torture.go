package storetest

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger/store"
)

// givenUp cancels an update before each of the calls that it makes: then nothing of it may be there, and
// the store goes on working.
func givenUp(t *testing.T, s store.Store) {
	add(t, s, row("kept", 1), nil)
	before, err := s.Records(t.Context())
	require.NoError(t, err)
	for at := 0; ; at++ {
		require.Less(t, at, 50)
		require.NoError(t, s.Reserve(t.Context(), host))
		ctx, cancel := context.WithCancel(t.Context())
		calls := 0
		call := func(do func() error) error {
			if calls++; calls-1 == at {
				cancel()
			}
			return do()
		}
		err := s.Update(ctx, func(u store.Update) error {
			var number, place int64
			steps := []func() error{
				func() (err error) { number, place, err = u.AddRecord(ctx, row("lost", 2)); return err },
				func() error {
					return u.AddSegment(ctx, store.SegmentRow{Place: place, Record: number, Segment: segment(t, "x")})
				},
				func() error {
					return u.AddProblem(ctx, number, store.ProblemRow{Path: "x", Tried: "open", Reason: "y", Entries: 1})
				},
				func() error { return u.SetStamps(ctx, place, number, []byte("12345678")) },
				func() error { return u.RemoveRecord(ctx, before[0].Number) },
			}
			for _, step := range steps {
				if err := call(step); err != nil {
					return err
				}
			}
			return nil
		})
		cancel()
		after, readErr := s.Records(t.Context())
		require.NoError(t, readErr)
		if calls <= at { // none was left to be given up
			require.NoError(t, err)
			require.Len(t, after, 1)
			assert.Equal(t, "lost", after[0].Label)
			return
		}
		if err == nil { // it was done before it was noticed
			require.Equal(t, 5, calls)
			require.Len(t, after, 1)
			assert.Equal(t, "lost", after[0].Label)
			return
		}
		require.ErrorIs(t, err, context.Canceled)
		require.Equal(t, before, after, "given up before call %d", at)
		left, readErr := s.Segments(t.Context(), store.All(before[0].Place))
		require.NoError(t, readErr)
		require.Empty(t, left)
	}
}

// recorded is what a store should have of a record.
type recorded struct {
	row      store.RecordRow
	segments [][]byte // their names
	problems int
	layer    bool
}

var errTakenBack = errors.New("taken back on purpose")

// atRandom makes changes at random, some of which fail at the end or are given up in the middle, while
// others read. After each, the store has what a plain list has. The seed is printed.
func atRandom(t *testing.T, s store.Store, seed uint64, changes int) {
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 34))
	reading, stop := context.WithCancel(t.Context())
	var readers sync.WaitGroup
	for range 2 {
		readers.Go(func() { readAlong(t, reading, s) })
	}
	var model []recorded
	for round := range changes {
		model = change(t, s, random, round, model)
		holds(t, s, model)
	}
	stop()
	readers.Wait()
	require.NoError(t, s.Compact(t.Context()))
	holds(t, s, model)
}

// readAlong reads rows until the context ends, each of which has to be whole.
func readAlong(t *testing.T, ctx context.Context, s store.Store) {
	for ctx.Err() == nil {
		rows, err := s.Records(ctx)
		if err != nil {
			if ctx.Err() == nil && !errors.Is(err, store.ErrAgain) {
				t.Error(err)
			}
			continue
		}
		for _, r := range rows {
			if r.Label != fmt.Sprint("label-", r.Entries) {
				t.Errorf("a row is of two records: %q has %d entries", r.Label, r.Entries)
			}
		}
		time.Sleep(time.Millisecond)
	}
}

// change makes one change at random, and returns what there is then.
func change(t *testing.T, s store.Store, random *rand.Rand, round int, model []recorded) []recorded {
	next := slices.Clone(model)
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	ending := random.IntN(6) // 0 fails at the end, 1 is given up there
	require.NoError(t, s.Reserve(ctx, host))
	err := s.Update(ctx, func(u store.Update) error {
		next = slices.Clone(model) // it may be called again
		var err error
		switch pick := random.IntN(len(next) + 1); {
		case len(next) < 3 || random.IntN(3) > 0:
			one := recorded{row: row(fmt.Sprint("label-", round), round+1)}
			one.row.Path, one.row.Entries, one.row.Unsized, one.row.Looked, one.row.Hidden = fmt.Sprint("/srv/", random.IntN(3)), int64(round), 0, 0, 0
			if one.row.Number, one.row.Place, err = u.AddRecord(ctx, one.row); err != nil {
				return err
			}
			for i := range random.IntN(4) {
				made := segment(t, fmt.Sprint("name-", round, "-", i))
				if err = u.AddSegment(ctx, store.SegmentRow{Place: one.row.Place, Record: one.row.Number, Segment: made}); err != nil {
					return err
				}
				one.segments = append(one.segments, made.Names)
			}
			for i := range random.IntN(3) {
				if err = u.AddProblem(ctx, one.row.Number, store.ProblemRow{Path: fmt.Sprint("p", i), Tried: "open", Reason: "no", Entries: 1}); err != nil {
					return err
				}
				one.problems++
			}
			next = append(next, one)
		case pick < len(next) && !next[pick].layer && random.IntN(2) == 0:
			next[pick].layer = true
			err = u.AddSegment(ctx, store.SegmentRow{Place: next[pick].row.Place, Record: next[pick].row.Number, Layer: true, Segment: segment(t, "layer")})
		case pick < len(next) && next[pick].layer && random.IntN(2) == 0:
			next[pick].layer = false
			err = u.RemoveLayer(ctx, next[pick].row.Number)
		case pick < len(next):
			number := next[pick].row.Number
			next = slices.Delete(next, pick, pick+1)
			err = errors.Join(u.RemoveSegments(ctx, number), u.RemoveRecord(ctx, number))
		}
		switch {
		case err != nil:
			return err
		case ending == 0:
			return errTakenBack
		case ending == 1:
			cancel()
			return ctx.Err()
		}
		return nil
	})
	switch {
	case ending == 0:
		require.ErrorIs(t, err, errTakenBack)
		return model
	case ending == 1:
		require.ErrorIs(t, err, context.Canceled)
		return model
	}
	require.NoError(t, err)
	return next
}

// holds holds a store against what it should have.
func holds(t *testing.T, s store.Store, model []recorded) {
	rows, err := s.Records(t.Context())
	require.NoError(t, err)
	require.Len(t, rows, len(model))
	bySegment := map[int64][][]byte{}
	for _, place := range placesOf(rows) {
		all, err := s.Segments(t.Context(), store.All(place))
		require.NoError(t, err)
		for _, one := range all {
			names, err := s.Part(t.Context(), one.Number, store.Names)
			require.NoError(t, err)
			bySegment[one.Record] = append(bySegment[one.Record], names)
		}
		var layered []int64
		layers, err := s.Layers(t.Context(), place)
		require.NoError(t, err)
		for _, l := range layers {
			layered = append(layered, l.Record)
		}
		for _, one := range model {
			if one.row.Place == place {
				require.Equal(t, one.layer, slices.Contains(layered, one.row.Number))
			}
		}
	}
	firsts(t, s, rows)
	for i, one := range model {
		require.Equal(t, one.row.Number, rows[i].Number)
		require.Equal(t, one.row.Label, rows[i].Label)
		require.Equal(t, one.row.Path, rows[i].Path)
		require.EqualValues(t, one.problems, rows[i].Problems)
		require.Equal(t, one.segments, bySegment[one.row.Number])
	}
}

// firsts holds that what several records need first is what each is told alone.
func firsts(t *testing.T, s store.Store, rows []store.RecordRow) {
	var keys []store.Key
	for i, r := range rows {
		keys = append(keys, store.Key{Place: r.Place, Number: r.Number, Small: i%2 == 0})
	}
	all, err := s.Firsts(t.Context(), keys)
	require.NoError(t, err)
	if all == nil {
		return
	}
	require.Len(t, all, len(rows))
	for i, r := range rows {
		got := all[r.Number]
		problems, err := s.Problems(t.Context(), r.Number)
		require.NoError(t, err)
		require.Equal(t, problems, got.Problems)
		of := store.Range{Place: r.Place, UpTo: r.Number}
		layers, err := s.Layers(t.Context(), r.Place)
		require.NoError(t, err)
		for _, l := range layers {
			if l.Record <= r.Number {
				of.Layer = l.Record
			}
		}
		require.Equal(t, of, got.Of)
		if !keys[i].Small {
			bands, err := s.Bands(t.Context(), of)
			require.NoError(t, err)
			require.Equal(t, bands, got.Bands)
			require.Nil(t, got.Segments)
			continue
		}
		segments, err := s.Segments(t.Context(), of)
		require.NoError(t, err)
		for i := range segments {
			one := &segments[i]
			if got.Segments[i].Names != nil {
				one.Names, err = s.Part(t.Context(), one.Number, store.Names)
				require.NoError(t, err)
				one.Facts, err = s.Part(t.Context(), one.Number, store.Facts)
				require.NoError(t, err)
			}
		}
		require.Equal(t, segments, got.Segments)
	}
}

func placesOf(rows []store.RecordRow) (places []int64) {
	for _, r := range rows {
		if !slices.Contains(places, r.Place) {
			places = append(places, r.Place)
		}
	}
	return places
}
