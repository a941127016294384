package recording

import (
	"context"

	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/internal/tuning"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
)

// What a record changes lies over what the records before it left. The more of them there
// are, the more has to be read to know what there is. So where what was recorded since takes
// as much room as all that there was at first, a layer is laid: all that there is at a record,
// once more. What is recorded of a place takes about twice the room at most, and what has to be
// read of it does not grow with the number of records.

// bytesPerEntry is about what an entry takes in a first record.
const bytesPerEntry = 40

// piling follows the records of a place, and tells how much has been recorded since the last
// layer.
type piling struct {
	layers map[int64]int64 // the room that each takes, by its record
	base   int64           // that the last one takes, or the first record
	since  int64
	now    int64 // about what a layer would take
}

func newPiling(ctx context.Context, from store.Reader, place int64) (*piling, error) {
	layers, err := from.Layers(ctx, place)
	p := &piling{layers: map[int64]int64{}}
	for _, l := range layers {
		p.layers[l.Record] = l.Stored
	}
	return p, err
}

// next goes on to a record.
func (p *piling) next(r ledger.Record) {
	if p.base == 0 {
		p.base = r.Stored
	} else {
		p.since += r.Stored
	}
	p.now = max(p.base, r.Entries*bytesPerEntry)
}

// restart has the layer of the record be the last.
func (p *piling) restart(record int64) {
	p.base, p.since = max(1, p.layers[record]), 0
}

// due reports whether a layer is due.
func (p *piling) due(share float64) bool {
	return p.since > 0 && float64(p.since) >= share*float64(p.now)
}

// layIfDue lays a layer at the record that is being written, if one is due. What this one
// takes itself is not known yet, and counts for the next.
func (w *writer) layIfDue(u store.Update) error {
	p, err := newPiling(w.ctx, u, w.record.PlaceNumber)
	if err != nil {
		return err
	}
	for _, r := range w.records {
		if p.next(r); p.layers[r.Number] > 0 {
			p.restart(r.Number)
		}
	}
	if !p.due(tuning.DueWhenWritten) {
		return nil
	}
	return lay(w.ctx, u, w.record)
}

// lay lays a layer at a record.
func lay(ctx context.Context, u store.Update, r ledger.Record) error {
	s, err := replay.Load(ctx, u, r.PlaceNumber, r.Number)
	if err != nil {
		return err
	}
	w := encoding.SegmentWriter{Write: func(ctx context.Context, segment encoding.Segment) error {
		return u.AddSegment(ctx, store.SegmentRow{Place: r.PlaceNumber, Record: r.Number, Layer: true, Segment: segment})
	}}
	// Also folders that are gone are in it: they have their numbers for good, and if one comes
	// back as it was, a record says no more than that it is there.
	return s.Pack(ctx, u, 0, true, &w)
}

// LayAll lays the layers of a place.
func LayAll(ctx context.Context, u store.Update, records []ledger.Record) error {
	p, err := newPiling(ctx, u, records[0].PlaceNumber)
	if err != nil {
		return err
	}
	for i, r := range records {
		share := tuning.DueWhenWritten
		if i == len(records)-1 {
			share = tuning.DueWhenCompacted
		}
		p.next(r)
		switch there := p.layers[r.Number] > 0; {
		case !p.due(share) && there: // there was one at the newest record before, or records were dropped
			err = u.RemoveLayer(ctx, r.Number)
		case !p.due(share):
		case there:
			p.restart(r.Number)
		default:
			if err = lay(ctx, u, r); err == nil {
				var q *piling
				if q, err = newPiling(ctx, u, r.PlaceNumber); err == nil {
					p.layers = q.layers
					p.restart(r.Number)
				}
			}
		}
		if err != nil {
			return err
		}
	}
	return nil
}
