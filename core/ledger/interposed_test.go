package ledger

import (
	"context"

	"frankledger/core/ledger/store"
)

// Layers returns of which records of a place there are layers.
func (l *Ledger) Layers(ctx context.Context, r Record) (records []int64, err error) {
	layers, err := l.Store.Layers(ctx, r.PlaceNumber)
	for _, layer := range layers {
		records = append(records, layer.Record)
	}
	return records, err
}

// Interpose has a function called before each call to the store; it is told whether
// that is within a change. Its error is what the call returns.
func (l *Ledger) Interpose(before func(inside bool) error) {
	l.Store = interposed{l.Store, interposedReader{l.Store, false, before}}
}

type interposed struct {
	store.Store
	interposedReader
}

func (i interposed) Records(ctx context.Context) ([]store.RecordRow, error) {
	return i.interposedReader.Records(ctx)
}
func (i interposed) Firsts(ctx context.Context, of []store.Key) (map[int64]*store.First, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Firsts(ctx, of)
}
func (i interposed) Problems(ctx context.Context, record int64) ([]store.ProblemRow, error) {
	return i.interposedReader.Problems(ctx, record)
}
func (i interposed) Segments(ctx context.Context, of store.Range) ([]store.SegmentRow, error) {
	return i.interposedReader.Segments(ctx, of)
}
func (i interposed) Layers(ctx context.Context, place int64) ([]store.LayerRow, error) {
	return i.interposedReader.Layers(ctx, place)
}
func (i interposed) Stamps(ctx context.Context, place, record int64) ([]byte, error) {
	return i.interposedReader.Stamps(ctx, place, record)
}
func (i interposed) Volumes(ctx context.Context, place int64) (map[string]uint64, error) {
	return i.interposedReader.Volumes(ctx, place)
}
func (i interposed) Rereads(ctx context.Context, place int64) ([]store.RereadRow, error) {
	return i.interposedReader.Rereads(ctx, place)
}
func (i interposed) Mismatches(ctx context.Context, place int64) ([]store.MismatchRow, error) {
	return i.interposedReader.Mismatches(ctx, place)
}
func (i interposed) Bands(ctx context.Context, of store.Range) ([]store.BandRow, error) {
	return i.interposedReader.Bands(ctx, of)
}
func (i interposed) BandPart(ctx context.Context, band int64, part int) ([]byte, error) {
	return i.interposedReader.BandPart(ctx, band, part)
}
func (i interposed) Part(ctx context.Context, segment int64, part store.Part) ([]byte, error) {
	return i.interposedReader.Part(ctx, segment, part)
}

func (i interposed) Dropped(ctx context.Context, host string) (map[string]bool, error) {
	return i.interposedReader.Dropped(ctx, host)
}

func (i interposed) Select(ctx context.Context, c store.Choice) ([]store.RecordRow, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Select(ctx, c)
}

func (i interposed) Laid(ctx context.Context) (map[int64]int64, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Laid(ctx)
}

func (i interposed) Hosts(ctx context.Context) ([]string, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Hosts(ctx)
}

func (i interposed) Moments(ctx context.Context, c store.Choice) ([]store.MomentRow, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Moments(ctx, c)
}

func (i interposed) Reserve(ctx context.Context, host string) error {
	if err := i.before(false); err != nil {
		return err
	}
	return i.Store.Reserve(ctx, host)
}

func (i interposed) Update(ctx context.Context, change func(store.Update) error) error {
	if err := i.before(false); err != nil {
		return err
	}
	return i.Store.Update(ctx, func(u store.Update) error {
		err := change(interposedUpdate{u, interposedReader{u, true, i.before}})
		if err != nil {
			return err
		}
		return i.before(true) // the last moment at which all can be taken back
	})
}

func (i interposed) Check(ctx context.Context) ([]string, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Check(ctx)
}

func (i interposed) Altered(ctx context.Context) ([]int64, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Altered(ctx)
}

func (i interposed) Compact(ctx context.Context) error {
	if err := i.before(false); err != nil {
		return err
	}
	return i.Store.Compact(ctx)
}

type interposedReader struct {
	from   store.Reader
	inside bool
	before func(inside bool) error
}

func (i interposedReader) Records(ctx context.Context) ([]store.RecordRow, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Records(ctx)
}

func (i interposedReader) Dropped(ctx context.Context, host string) (map[string]bool, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Dropped(ctx, host)
}

func (i interposedReader) Problems(ctx context.Context, record int64) ([]store.ProblemRow, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Problems(ctx, record)
}

func (i interposedReader) Segments(ctx context.Context, of store.Range) ([]store.SegmentRow, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Segments(ctx, of)
}

func (i interposedReader) Layers(ctx context.Context, place int64) ([]store.LayerRow, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Layers(ctx, place)
}

func (i interposedReader) Stamps(ctx context.Context, place, record int64) ([]byte, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Stamps(ctx, place, record)
}

func (i interposedReader) Volumes(ctx context.Context, place int64) (map[string]uint64, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Volumes(ctx, place)
}

func (i interposedReader) Rereads(ctx context.Context, place int64) ([]store.RereadRow, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Rereads(ctx, place)
}

func (i interposedReader) Mismatches(ctx context.Context, place int64) ([]store.MismatchRow, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Mismatches(ctx, place)
}

func (i interposedReader) Bands(ctx context.Context, of store.Range) ([]store.BandRow, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Bands(ctx, of)
}

func (i interposedReader) BandPart(ctx context.Context, band int64, part int) ([]byte, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.BandPart(ctx, band, part)
}

func (i interposedReader) Part(ctx context.Context, segment int64, part store.Part) ([]byte, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.from.Part(ctx, segment, part)
}

type interposedUpdate struct {
	update store.Update
	interposedReader
}

func (i interposedUpdate) AddRecord(ctx context.Context, r store.RecordRow) (number, place int64, err error) {
	if err := i.before(true); err != nil {
		return 0, 0, err
	}
	return i.update.AddRecord(ctx, r)
}

func (i interposedUpdate) Stored(ctx context.Context, place, record int64) (int64, error) {
	if err := i.before(true); err != nil {
		return 0, err
	}
	return i.update.Stored(ctx, place, record)
}

func (i interposedUpdate) AddProblem(ctx context.Context, record int64, p store.ProblemRow) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddProblem(ctx, record, p)
}

func (i interposedUpdate) AddVolume(ctx context.Context, place int64, id string, device uint64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddVolume(ctx, place, id, device)
}

func (i interposedUpdate) AddReread(ctx context.Context, place int64, r store.RereadRow) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddReread(ctx, place, r)
}

func (i interposedUpdate) AddMismatch(ctx context.Context, place int64, m store.MismatchRow) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddMismatch(ctx, place, m)
}

func (i interposedUpdate) RemoveMismatch(ctx context.Context, place int64, path string) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.RemoveMismatch(ctx, place, path)
}

func (i interposedUpdate) AddSegment(ctx context.Context, s store.SegmentRow) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddSegment(ctx, s)
}

func (i interposedUpdate) RemoveSegments(ctx context.Context, record int64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.RemoveSegments(ctx, record)
}

func (i interposedUpdate) RemoveLayer(ctx context.Context, record int64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.RemoveLayer(ctx, record)
}

func (i interposedUpdate) SetStamps(ctx context.Context, place, record int64, stamps []byte) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.SetStamps(ctx, place, record, stamps)
}

func (i interposedUpdate) AddDropped(ctx context.Context, host, id string) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddDropped(ctx, host, id)
}

func (i interposedUpdate) SetCounts(ctx context.Context, record, looked, hidden int64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.SetCounts(ctx, record, looked, hidden)
}

func (i interposedUpdate) RemoveRecord(ctx context.Context, record int64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.RemoveRecord(ctx, record)
}
