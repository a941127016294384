package ledger

import (
	"context"
	"slices"

	"frankledger/core/ledger/store"
)

// Hold has everything that is read be of one moment, until the store is changed or released.
func (l *Ledger) Hold() {
	l.Store.Hold()
}

// Standing is what a ledger has of a place: the numbers of its records, newest first, and negative ones for its
// layers. What is prepared is valid as long as that is the same.
type Standing []int64

// StandingOf returns what there is of a place that has some records, in the order in which they were written.
func StandingOf(ctx context.Context, from store.Reader, ofPlace []Record) (s Standing, err error) {
	if len(ofPlace) == 0 {
		return nil, nil
	}
	for i := range slices.Backward(ofPlace) {
		s = append(s, ofPlace[i].Number)
	}
	layers, err := from.Layers(ctx, ofPlace[0].PlaceNumber)
	for _, l := range layers {
		s = append(s, -l.Record)
	}
	return s, err
}

// Reserve has a shared store give out a number for the next record of a host.
func (l *Ledger) Reserve(ctx context.Context, host string) error {
	return l.Store.Reserve(ctx, host)
}
