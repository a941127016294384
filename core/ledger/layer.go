package ledger

import (
	"context"
	"slices"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// What a record changes lies over what the records before it left. The more of them there
// are, the more has to be read to know what there is. So where what was recorded since takes
// as much room as all that there was at first, a layer is laid: all that there is at a record,
// once more. What is recorded of a place takes about twice the room at most, and what has to be
// read of it does not grow with the number of records.

// due is how much has to be recorded after a layer, in parts of what is in it, before there is
// another: when a record is written, and for the newest record when the ledger is compacted.
// A test sets them to less.
var (
	dueWhenWritten   = 1.0
	dueWhenCompacted = 0.1
)

// bytesPerEntry is about what an entry takes in a first record.
const bytesPerEntry = 40

// rangeTo returns what has to be read to know what there was of a place at a record.
func rangeTo(ctx context.Context, from store.Reader, place, record int64) (store.Range, error) {
	layers, err := from.Layers(ctx, place)
	of := store.Range{Place: place, UpTo: record}
	for _, l := range layers {
		if l.Record <= record {
			of.Layer = l.Record
		}
	}
	return of, err
}

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
func (p *piling) next(r Record) {
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
	p, err := newPiling(w.ctx, u, w.record.place)
	if err != nil {
		return err
	}
	for _, r := range w.records {
		if p.next(r); p.layers[r.Number] > 0 {
			p.restart(r.Number)
		}
	}
	if !p.due(dueWhenWritten) {
		return nil
	}
	return lay(w.ctx, u, w.record)
}

// lay lays a layer at a record.
func lay(ctx context.Context, u store.Update, r Record) error {
	s, err := load(ctx, u, r.place, r.Number)
	if err != nil {
		return err
	}
	w := encoding.SegmentWriter{Write: func(ctx context.Context, segment encoding.Segment) error {
		return u.AddSegment(ctx, store.SegmentRow{Place: r.place, Record: r.Number, Layer: true, Segment: segment})
	}}
	// Also folders that are gone are in it: they have their numbers for good, and if one comes
	// back as it was, a record says no more than that it is there.
	for id := range s.folders {
		if !s.known(uint64(id)) {
			continue
		}
		f := &s.folders[id]
		var deltas []encoding.Delta
		for _, at := range f.deltas {
			d, err := s.delta(ctx, u, at, true)
			if err != nil {
				return err
			}
			deltas = append(deltas, d)
		}
		v := f.FolderVersion
		v.Fresh, v.HasDelta = true, true
		joined := encoding.Delta{}
		switch len(deltas) {
		case 0:
		case 1:
			joined = deltas[0]
		default:
			if joined, err = encoding.Join(deltas, true); err != nil {
				return err
			}
		}
		if err := w.Add(ctx, &v, joined); err != nil {
			return err
		}
	}
	return w.Flush(ctx)
}

// Compact lays layers where reading has become slow, takes away those that are of no use,
// counts in records of earlier programs what these did not, and gives back the room that is free.
func (l *Ledger) Compact(ctx context.Context) error {
	records, err := l.Records(ctx)
	if err != nil {
		return err
	}
	defer l.Only(l.hosts...)
	type key struct{ host, path string }
	done := map[key]bool{}
	for _, r := range records {
		if done[key{r.Host, r.Place}] {
			continue
		}
		done[key{r.Host, r.Place}] = true
		l.store.Release()
		l.Only(r.Host) // a change is of one place, so that nobody who records another one is in the way
		if err := l.change(ctx, func(u store.Update) error {
			all, err := recordsIn(ctx, u)
			if err != nil {
				return err
			}
			of := ofPlace(all, r.Host, r.Place)
			if len(of) == 0 { // all were dropped meanwhile
				return nil
			}
			if err := layAll(ctx, u, of); err != nil {
				return err
			}
			return countAll(ctx, u, of)
		}); err != nil {
			return err
		}
	}
	return l.store.Compact(ctx)
}

// layAll lays the layers of a place.
func layAll(ctx context.Context, u store.Update, records []Record) error {
	p, err := newPiling(ctx, u, records[0].place)
	if err != nil {
		return err
	}
	for i, r := range records {
		share := dueWhenWritten
		if i == len(records)-1 {
			share = dueWhenCompacted
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
				if q, err = newPiling(ctx, u, r.place); err == nil {
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

// countAll counts what there is to look at in records that do not tell.
func countAll(ctx context.Context, u store.Update, records []Record) error {
	if !slices.ContainsFunc(records, func(r Record) bool { return !r.Counted }) {
		return nil
	}
	g, err := grow(ctx, u, records[0].place)
	if err != nil {
		return err
	}
	checked := map[hashed]amount{}
	for _, r := range records {
		if r.Counted {
			continue
		}
		c := &checking{ctx: ctx, from: u, record: r, checked: checked}
		if c.state, err = g.upTo(r.Number); err != nil {
			return err
		}
		all, err := c.folder(encoding.Root, nil)
		if err != nil {
			return err
		}
		if len(c.faults) > 0 || all.unsure {
			continue
		}
		if err := u.SetCounts(ctx, r.Number, all.looked, all.hidden); err != nil {
			return err
		}
	}
	return nil
}
