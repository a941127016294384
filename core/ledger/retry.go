package ledger

import (
	"context"
	"errors"
	"math/rand/v2"
	"time"

	"frankledger/core/ledger/store"
)

// patience is for how long something is done again that met another writer, or lost its
// server: as long as another server takes to stand in for that, and some more.
const patience = time.Minute

// Retries are how often something was done again.
type Retries struct {
	begun time.Time
	count int
}

// Another reports whether to do once more what has ended with an error, and waits before, the longer the
// more often.
func (t *Retries) Another(ctx context.Context, err error) bool {
	switch {
	case !errors.Is(err, store.ErrAgain):
		return false
	case errors.Is(err, store.ErrNumbers): // now there are more
		return ctx.Err() == nil
	}
	if t.count == 0 {
		t.begun = time.Now()
	}
	t.count++
	wait := min(50*time.Millisecond<<min(t.count, 6), 2*time.Second)
	wait = wait/2 + rand.N(wait/2)
	if time.Since(t.begun)+wait > patience {
		return false
	}
	select {
	case <-ctx.Done():
		return false
	case <-time.After(wait):
		return true
	}
}

// Change changes the store, and again if that has met another writer: the function may be
// called several times.
func (l *Ledger) Change(ctx context.Context, do func(store.Update) error) error {
	return Retry(ctx, func() error { return l.Store.Update(ctx, do) })
}

// Retry does something, and again if it can be.
func Retry(ctx context.Context, do func() error) error {
	var tries Retries
	for {
		err := do()
		if !tries.Another(ctx, err) {
			return err
		}
	}
}
