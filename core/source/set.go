package source

import "context"

// Set is the sources that a question is about.
type Set struct {
	Sources []Source
	// Done is called when nothing more is read from them. It may be nil.
	Done func()
}

// Read reads the sources one after another.
func (s *Set) Read(ctx context.Context, request Request, sink Sink) (report Report, err error) {
	if s.Done != nil {
		defer s.Done()
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
