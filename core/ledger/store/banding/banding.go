package banding

import (
	"context"
	"errors"
	"runtime"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Maker makes the bands of the segments of a record, on all cores, while these are being
// written. An engine gives it segments in their order, and is given bands.
type Maker struct {
	// Write is given a band to keep: the range it is of, how many bytes its segments take, and what
	// makes it, which calls a function with each of its parts.
	Write func(ctx context.Context, of store.SegmentRow, stored int64, band func(part func(int, []byte) error) (*encoding.Band, error)) error

	of       store.SegmentRow // place, record and layer
	waiting  []summarised     // in order
	segments []encoding.SegmentGroups
	groups   []encoding.Group
	stored   int64
}

// summarised is a segment whose summary is being made.
type summarised struct {
	segment int64
	stored  int64
	done    chan summary
}

type summary struct {
	segment encoding.SegmentGroups
	groups  []encoding.Group
	err     error
}

// Add begins with a segment, which is valid only during the call.
func (b *Maker) Add(ctx context.Context, s store.SegmentRow) error {
	of := store.SegmentRow{Place: s.Place, Record: s.Record, Layer: s.Layer}
	if of.Place != b.of.Place || of.Record != b.of.Record || of.Layer != b.of.Layer {
		if err := b.Flush(ctx); err != nil {
			return err
		}
		b.of = of
	}
	for len(b.waiting) >= 2*runtime.GOMAXPROCS(0) {
		if err := b.take(ctx); err != nil {
			return err
		}
	}
	whole := append(append(append(make([]byte, 0, len(s.Folders)+len(s.Names)+len(s.Facts)), s.Folders...), s.Names...), s.Facts...)
	n, m := len(s.Folders), len(s.Folders)+len(s.Names)
	copied := encoding.Segment{Folders: whole[:n:n], Names: whole[n:m:m], Facts: whole[m:]}
	done := make(chan summary, 1)
	b.waiting = append(b.waiting, summarised{s.Number, int64(len(whole)), done})
	go func() { done <- summarise(copied) }()
	return nil
}

func summarise(s encoding.Segment) (made summary) {
	if made.groups, made.err = encoding.Summarise(s); made.err == nil {
		made.err = made.segment.Met(s)
	}
	return made
}

// take waits for the next summary.
func (b *Maker) take(ctx context.Context) error {
	next := b.waiting[0]
	b.waiting = b.waiting[1:]
	made := <-next.done
	if errors.Is(made.err, encoding.ErrDamaged) { // of an earlier program: whoever reads it will find that
		made = summary{groups: []encoding.Group{encoding.AnyGroup()}}
	}
	if made.err != nil {
		return made.err
	}
	s := made.segment
	s.Segment = next.segment
	for i := range made.groups {
		s.Versions = append(s.Versions, made.groups[i].Versions)
	}
	b.segments, b.groups, b.stored = append(b.segments, s), append(b.groups, made.groups...), b.stored+next.stored
	if len(b.groups) < encoding.FullBand {
		return nil
	}
	return b.write(ctx)
}

// Flush writes what there is.
func (b *Maker) Flush(ctx context.Context) error {
	for len(b.waiting) > 0 {
		if err := b.take(ctx); err != nil {
			return err
		}
	}
	return b.write(ctx)
}

func (b *Maker) write(ctx context.Context) error {
	if len(b.groups) == 0 {
		return nil
	}
	err := b.Write(ctx, b.of, b.stored, func(part func(int, []byte) error) (*encoding.Band, error) {
		return encoding.MakeBand(b.segments, b.groups, part)
	})
	b.segments, b.groups, b.stored = nil, b.groups[:0], 0
	return err
}
