package replay

import (
	"context"

	"frankledger/core/ledger/store"
	"frankledger/core/source"
)

// Where many records are read one after the other, what the next ones need first is read
// meanwhile: a database answers several questions at once.

// ahead is what a reading needs first.
type ahead struct {
	done     chan struct{}
	first    *store.First // nil where that was not read together with others
	problems []store.ProblemRow
	narrowed *narrowing // nil to read all
	err      error
}

// mostWarmed is of how many segments the names and facts are read ahead: a small record is read whole.
const mostWarmed = 2

// Prepare implements source.Preparer.
func (s *Source) Prepare(ctx context.Context, request source.Request) {
	if !s.Among || s.ahead != nil {
		return
	}
	a := &ahead{done: make(chan struct{})}
	s.ahead = a
	go func() {
		defer close(a.done)
		s.begin(ctx, request, a)
		if a.err != nil || a.narrowed != nil || request.Depth == 0 || s.place.Leaf || s.record.Damaged {
			return
		}
		if s.load(ctx, a.first) != nil { // which is told when it is read
			s.state = nil
			return
		}
		for _, segment := range s.state.segments[:min(mostWarmed, len(s.state.segments))] {
			segment.part(ctx, s.ledger.Store, store.Names)
			if request.Facts != 0 || request.Condition != nil {
				segment.part(ctx, s.ledger.Store, store.Facts)
			}
		}
	}()
}

// Settle implements source.Preparer.
func (s *Source) Settle() {
	s.settle()
	if s.fellows != nil {
		s.fellows.settle()
	}
}

// settle does so for this record alone.
func (s *Source) settle() {
	if s.ahead != nil {
		<-s.ahead.done
	}
	if s.Among {
		s.ahead, s.state = nil, nil
	}
}

// begin reads what could not be read when the record was made, and which groups have to be read.
func (s *Source) begin(ctx context.Context, request source.Request, a *ahead) {
	if s.fellows != nil {
		a.first = s.fellows.take(ctx, s)
	}
	if a.first != nil {
		a.problems = a.first.Problems
	} else {
		a.problems, a.err = s.ledger.Store.Problems(ctx, s.record.Number)
	}
	whole := a.first != nil && a.first.Segments != nil // and there is nothing to be saved
	if a.err == nil && request.Depth > 0 && !s.place.Leaf && !whole {
		a.narrowed, a.err = s.narrowed(ctx, request, a.first)
	}
}

// taken returns what a reading needs first, which may have been read before.
func (s *Source) taken(ctx context.Context, request source.Request) *ahead {
	if a := s.ahead; a != nil {
		<-a.done
		s.ahead = nil
		return a
	}
	a := &ahead{}
	s.begin(ctx, request, a)
	return a
}
