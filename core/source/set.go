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
	// Done is called when nothing more is read from them. It may be nil.
	Done func()
}

// Read reads the sources one after another.
func (s *Set) Read(ctx context.Context, request Request, sink Sink) (report Report, err error) {
	if s.Done != nil {
		defer s.Done()
	}
	if s.Also != nil {
		sink = Both(sink, s.Also)
	}
	for _, one := range s.Sources {
		read, err := one.Read(ctx, request, sink)
		report.Add(read)
		if err != nil {
			return report, err
		}
	}
	return report, nil
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
