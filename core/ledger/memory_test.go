package ledger_test

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/upkeep"
)

// memory is a store in memory: an engine that is made outside of the ledger.
type memory struct {
	store.Alone
	records  []store.RecordRow
	problems map[int64][]store.ProblemRow
	segments []store.SegmentRow
	last     int64
	volumes  map[int64]map[string]uint64

	rereads    map[int64][]store.RereadRow
	mismatches map[int64]map[string]store.MismatchRow
}

func (m *memory) Rereads(_ context.Context, place int64) ([]store.RereadRow, error) {
	return m.rereads[place], nil
}

func (m *memory) Mismatches(_ context.Context, place int64) (list []store.MismatchRow, err error) {
	for _, row := range m.mismatches[place] {
		list = append(list, row)
	}
	return list, nil
}

func (m *memory) AddReread(_ context.Context, place int64, r store.RereadRow) error {
	if m.rereads == nil {
		m.rereads = map[int64][]store.RereadRow{}
	}
	m.rereads[place] = append(m.rereads[place], r)
	return nil
}

func (m *memory) AddMismatch(_ context.Context, place int64, row store.MismatchRow) error {
	if m.mismatches == nil {
		m.mismatches = map[int64]map[string]store.MismatchRow{}
	}
	if m.mismatches[place] == nil {
		m.mismatches[place] = map[string]store.MismatchRow{}
	}
	if old, there := m.mismatches[place][row.Path]; there {
		old.Now = row.Now
		row = old
	}
	m.mismatches[place][row.Path] = row
	return nil
}

func (m *memory) RemoveMismatch(_ context.Context, place int64, path string) error {
	delete(m.mismatches[place], path)
	return nil
}

// Dropped returns none.
func (m *memory) Dropped(context.Context, string) (map[string]bool, error) { return nil, nil }
func (m *memory) AddDropped(context.Context, string, string) error         { return nil }

func (m *memory) Volumes(_ context.Context, place int64) (map[string]uint64, error) {
	return m.volumes[place], nil
}

func (m *memory) AddVolume(_ context.Context, place int64, id string, device uint64) error {
	if m.volumes == nil {
		m.volumes = map[int64]map[string]uint64{}
	}
	if m.volumes[place] == nil {
		m.volumes[place] = map[string]uint64{}
	}
	m.volumes[place][id] = device
	return nil
}

func (m *memory) Altered(context.Context) ([]int64, error) { return nil, nil }

func (m *memory) Records(context.Context) ([]store.RecordRow, error) {
	return slices.Clone(m.records), nil
}

func (m *memory) Problems(_ context.Context, record int64) ([]store.ProblemRow, error) {
	return m.problems[record], nil
}

func (m *memory) Segments(_ context.Context, of store.Range) (list []store.SegmentRow, err error) {
	for _, s := range m.segments {
		if s.Place == of.Place && s.Record <= of.UpTo {
			list = append(list, store.SegmentRow{Number: s.Number, Place: of.Place, Record: s.Record, Segment: encoding.Segment{Folders: s.Folders}})
		}
	}
	slices.SortStableFunc(list, func(a, b store.SegmentRow) int { return int(a.Record - b.Record) })
	return list, nil
}

// Stamps returns none.
func (m *memory) Stamps(context.Context, int64, int64) ([]byte, error)  { return nil, nil }
func (m *memory) SetStamps(context.Context, int64, int64, []byte) error { return nil }

// Layers returns none.
func (m *memory) Layers(context.Context, int64) ([]store.LayerRow, error) { return nil, nil }

// Stored returns 0: nothing is packed.
func (m *memory) Stored(context.Context, int64, int64) (int64, error) { return 0, nil }

// Bands returns none: such a store has no summaries, and everything is read.
func (m *memory) Bands(context.Context, store.Range) ([]store.BandRow, error) { return nil, nil }

func (m *memory) BandPart(context.Context, int64, int) ([]byte, error) {
	return nil, encoding.ErrDamaged
}

func (m *memory) Part(_ context.Context, segment int64, part store.Part) ([]byte, error) {
	at := slices.IndexFunc(m.segments, func(s store.SegmentRow) bool { return s.Number == segment })
	if part == store.Facts {
		return m.segments[at].Facts, nil
	}
	return m.segments[at].Names, nil
}

func (m *memory) Update(_ context.Context, change func(store.Update) error) error {
	before := memory{m.Alone, slices.Clone(m.records), m.problems, slices.Clone(m.segments), m.last, m.volumes, m.rereads, m.mismatches}
	err := change(m)
	if err != nil {
		*m = before
	}
	return err
}

func (m *memory) AddRecord(_ context.Context, r store.RecordRow) (number, place int64, err error) {
	if r.Number == 0 {
		r.Number = m.last + 1
	}
	m.last = max(m.last, r.Number)
	r.Place = r.Number
	for _, other := range m.records {
		if other.Host == r.Host && other.Path == r.Path {
			r.Place = other.Place
		}
	}
	m.records = append(m.records, r)
	slices.SortFunc(m.records, func(a, b store.RecordRow) int { return int(a.Number - b.Number) })
	return r.Number, r.Place, nil
}

func (m *memory) AddProblem(context.Context, int64, store.ProblemRow) error { return nil }

func (m *memory) AddSegment(_ context.Context, s store.SegmentRow) error {
	s.Number = int64(len(m.segments)) + 1
	s.Folders, s.Names, s.Facts = bytes.Clone(s.Folders), bytes.Clone(s.Names), bytes.Clone(s.Facts)
	m.segments = append(m.segments, s)
	return nil
}

func (m *memory) RemoveSegments(context.Context, int64) error          { return nil }
func (m *memory) RemoveRecord(context.Context, int64) error            { return nil }
func (m *memory) RemoveLayer(context.Context, int64) error             { return nil }
func (m *memory) SetCounts(context.Context, int64, int64, int64) error { return nil }

func (m *memory) Check(context.Context) (lines []string, err error) { return nil, nil }
func (m *memory) Compact(context.Context) error                     { return nil }
func (m *memory) Release()                                          {}
func (m *memory) Close() error                                      { return nil }

// Whatever lines there are, importing ends without a panic, and leaves nothing
// behind if it fails.
func FuzzImport(f *testing.F) {
	f.Add(`{"frank_ledger":1}` + "\n" + `{"record":{"number":1,"label":"a","host":"h","place":"/p","taken":"1.000000000","entries":1,"bytes":0,"seal":"00"}}` + "\n" +
		`{"entry":{"way":"x/y","kind":"file"}}` + "\n" + `{"gone":{"hex":"ff"}}` + "\n" + `{"lost":{"way":"","reason":"r"}}` + "\n" + `{"end":1}`)
	f.Fuzz(func(t *testing.T, text string) {
		kept := &memory{}
		kept.Reader = func() store.Reader { return kept }
		l := ledger.In(kept)
		_, err := upkeep.Import(t.Context(), l, strings.NewReader(text))
		records, failed := l.Records(t.Context())
		require.NoError(t, failed)
		if err != nil {
			assert.Empty(t, records)
		}
		faults, err := upkeep.Check(t.Context(), l)
		require.NoError(t, err)
		assert.Empty(t, faults)
	})
}
