package source

import (
	"context"

	"frankledger/core/entry"
)

// Set is the sources that a question is about.
type Set struct {
	Sources []Source
	// Also is given every entry beside. It may be nil.
	Also Sink
	// Once gives each entry once, where places lie in one another.
	Once bool
	// Done is called when nothing more is read from them. It may be nil.
	Done func()
}

// Read reads the sources one after another.
func (s *Set) Read(ctx context.Context, request Request, sink Sink) (report Report, err error) {
	if s.Done != nil {
		defer s.Done()
	}
	if s.Also != nil {
		also := s.Also
		if _, is := request.Condition.(*marking); is {
			also = Only(Chosen, also)
		}
		sink = Both(sink, also)
	}
	var again map[int]bool
	if s.Once {
		again = overlap(s.Sources)
	}
	met := &once{met: map[at]struct{}{}}
	begun := 0
	ahead, stop := context.WithCancel(ctx)
	defer func() {
		stop()
		s.settle(begun)
	}()
	for i, one := range s.Sources {
		for ; begun < min(i+readAhead, len(s.Sources)); begun++ {
			if p, is := s.Sources[begun].(Preparer); is {
				p.Prepare(ahead, request)
			}
		}
		to := sink
		if again[i] {
			to = met.of(one.Place(), sink)
		}
		read, err := one.Read(ctx, request, to)
		read.NoteUntold(one, request.Condition)
		report.Add(read)
		if err != nil {
			return report, err
		}
	}
	report.Again += met.again
	return report, nil
}

// readAhead is how many sources are being prepared, with the one that is read.
const readAhead = 4

// Preparer is a source that can begin to be read before it is its turn.
type Preparer interface {
	// Prepare begins to get what Read needs first. It returns at once.
	Prepare(ctx context.Context, request Request)
	// Settle waits until what was begun has ended, and forgets it.
	Settle()
}

// settle waits for the sources whose reading was prepared.
func (s *Set) settle(begun int) {
	for _, one := range s.Sources[:begun] {
		if p, is := one.(Preparer); is {
			p.Settle()
		}
	}
}

// Both is a sink that gives to two, the second first.
func Both(one, other Sink) Sink {
	return SinkFunc(func() Visitor {
		first, second := one.Visitor(), other.Visitor()
		return func(entries []entry.Entry) error {
			if err := second(entries); err != nil {
				return err
			}
			return first(entries)
		}
	})
}

// Only is a sink that passes on the entries that are chosen, as they stand together.
func Only(chosen func(*entry.Entry) bool, next Sink) Sink {
	return SinkFunc(func() Visitor {
		visit := next.Visitor()
		return func(entries []entry.Entry) error {
			for len(entries) > 0 {
				n := 0
				for n < len(entries) && chosen(&entries[n]) {
					n++
				}
				if n > 0 {
					if err := visit(entries[:n]); err != nil {
						return err
					}
				}
				entries = entries[min(n+1, len(entries)):]
			}
			return nil
		}
	})
}
