package output

import (
	"io"
	"sync"
	"time"
)

// eraseLine brings the cursor to the start of its line and erases that (ISO 6429: CR, EL).
const eraseLine = "\r\x1b[K"

// Status is one line at the bottom of a terminal that shows how far something has come. What is written to it as an
// [io.Writer], whole lines, comes to stand above that line.
type Status struct {
	to   io.Writer
	line func() string
	stop chan struct{}
	over sync.WaitGroup
	mu   sync.Mutex // held while the terminal is written to
}

// NewStatus shows a line on a terminal, and shows it anew so often until [Status.Remove] is called. The line
// must fit the terminal's width, with a column to spare, and act on nothing. The function that makes it is
// called by another goroutine. Errors of the terminal are passed over.
func NewStatus(to io.Writer, every time.Duration, line func() string) *Status {
	s := &Status{to: to, line: line, stop: make(chan struct{})}
	s.show(nil)
	s.over.Go(func() {
		ticks := time.NewTicker(every)
		defer ticks.Stop()
		for {
			select {
			case <-ticks.C:
				s.show(nil)
			case <-s.stop:
				return
			}
		}
	})
	return s
}

// show writes some lines, and the status below them.
func (s *Status) show(lines []byte) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	_, err := s.to.Write(append(append([]byte(eraseLine), lines...), s.line()...))
	return err
}

// Write implements io.Writer.
func (s *Status) Write(lines []byte) (int, error) {
	if err := s.show(lines); err != nil {
		return 0, err
	}
	return len(lines), nil
}

// Remove takes the line away without a trace. It is to be called once.
func (s *Status) Remove() {
	close(s.stop)
	s.over.Wait()
	s.mu.Lock()
	defer s.mu.Unlock()
	io.WriteString(s.to, eraseLine)
}
