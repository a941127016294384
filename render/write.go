package render

import (
	"io"
	"runtime"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/source"
)

func separator[R any](f Format[R]) string {
	if s, ok := f.(Separated); ok {
		return s.Separator()
	}
	return ""
}

// flushAt is how much is gathered before it is written.
const flushAt = 64 << 10

// All writes rows that are all there, formatting them on all cores.
func All[R any](w io.Writer, f Format[R], list row.Source[R], frame Frame) error {
	count := list.Len()
	shown := list
	l, isLimited := f.(Limited[R])
	if isLimited && count > l.Most() {
		shown = beginning[R]{list, l.Most()}
	}
	if m, ok := f.(Measurer[R]); ok {
		measure(m, shown)
	}
	frame.Wrote(int64(count))
	if _, err := w.Write(f.Begin(nil, frame)); err != nil {
		return err
	}
	if err := rows(w, f, shown); err != nil {
		return err
	}
	var left []byte
	if isLimited && count > l.Most() {
		left = l.Left(nil, list, l.Most())
	}
	_, err := w.Write(f.End(left, frame))
	return err
}

func groupSize[R any](f Format[R]) int {
	if g, is := f.(Grouped); is {
		return g.Each()
	}
	return 0
}

// beginning are the first so many rows of others.
type beginning[R any] struct {
	row.Source[R]
	count int
}

func (b beginning[R]) Len() int { return b.count }

// measure shows a measurer all the rows, on all cores.
func measure[R any](m Measurer[R], list row.Source[R]) {
	count := list.Len()
	cores := min(runtime.GOMAXPROCS(0), 1+count/chunk)
	fresh := make([]Measurer[R], cores)
	scattered, is := list.(row.Scattered[R])
	var group sync.WaitGroup
	for core := range cores {
		fresh[core] = m.Fresh()
		group.Go(func() {
			if is {
				scattered.Each(core, cores, fresh[core].Measure)
				return
			}
			for i := core * count / cores; i < (core+1)*count/cores; i++ {
				fresh[core].Measure(list.At(i))
			}
		})
	}
	group.Wait()
	for _, f := range fresh {
		m.Join(f)
	}
}

// chunk is how many rows are formatted at a time on one core.
const chunk = 512

// rowsPiece is some rows of a chunk, and whether they are its last.
type rowsPiece struct {
	rows []byte
	last bool
}

// rows writes the rows in rounds: in each, every core formats a chunk, and
// then these are written one after another while the next are being formatted.
// A chunk of long rows comes in several pieces.
func rows[R any](w io.Writer, f Format[R], list row.Source[R]) error {
	between, count := separator(f), list.Len()
	each := groupSize(f)
	row := func(dst []byte, i int) []byte {
		if i > 0 {
			dst = append(dst, between...)
		}
		if each > 0 && i > 0 && i%each == 0 {
			dst = f.(Grouped).NextGroup(dst)
		}
		return f.Row(dst, list.At(i))
	}
	if count <= chunk {
		var dst []byte
		for i := range count {
			if dst = row(dst, i); len(dst) >= flushAt || i == count-1 {
				if _, err := w.Write(dst); err != nil {
					return err
				}
				dst = dst[:0]
			}
		}
		return nil
	}
	cores := runtime.GOMAXPROCS(0)
	lanes := make([]chan rowsPiece, cores)
	free := make(chan []byte, 2*cores)
	stop := make(chan struct{})
	var group sync.WaitGroup
	defer group.Wait()
	defer close(stop)
	for lane := range lanes {
		lanes[lane] = make(chan rowsPiece, 1)
		group.Go(func() {
			for from := lane * chunk; from < count; from += cores * chunk {
				var dst []byte
				for i := from; i < min(from+chunk, count); i++ {
					if dst == nil {
						select {
						case dst = <-free:
						default:
						}
					}
					dst = row(dst, i)
					last := i == min(from+chunk, count)-1
					if len(dst) < flushAt && !last {
						continue
					}
					select {
					case lanes[lane] <- rowsPiece{dst, last}:
						dst = nil
					case <-stop:
						return
					}
				}
			}
		})
	}
	for from := 0; from < count; from += chunk {
		for last := false; !last; {
			piece := <-lanes[from/chunk%cores]
			last = piece.last
			if _, err := w.Write(piece.rows); err != nil {
				return err
			}
			select {
			case free <- piece.rows[:0]:
			default:
			}
		}
	}
	return nil
}

// Stream is a sink that writes entries as they are found.
type Stream struct {
	w       io.Writer
	format  Format[*entry.Entry]
	frame   Frame
	between string
	first   int64 // how many to write at most; 0 for all

	mu      sync.Mutex
	begun   bool
	held    []entry.Entry // for a Measurer, until it begins
	shown   int64
	writers []*streamWriter
}

// streamWriter is one visitor's part: rows formatted and not yet written.
type streamWriter struct {
	rows  []byte
	count int64
}

// NewStream returns a stream of entries, or of the first so many that are
// found.
func NewStream(w io.Writer, f Format[*entry.Entry], frame Frame, first int) *Stream {
	return &Stream{w: w, format: f, frame: frame, between: separator(f), first: int64(first)}
}

// Visitor implements source.Sink.
func (s *Stream) Visitor() source.Visitor {
	own := &streamWriter{}
	s.mu.Lock()
	s.writers = append(s.writers, own)
	s.mu.Unlock()
	_, measures := s.format.(Measurer[*entry.Entry])
	if measures || s.first > 0 {
		return s.visitInTurn
	}
	return func(entries []entry.Entry) error {
		for i := range entries {
			own.rows = append(own.rows, s.between...)
			own.rows = s.format.Row(own.rows, &entries[i])
		}
		own.count += int64(len(entries))
		if len(own.rows) < flushAt {
			return nil
		}
		return s.flush(own)
	}
}

// flush writes what a visitor has gathered.
func (s *Stream) flush(own *streamWriter) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	rows := own.rows
	if len(rows) == 0 {
		return nil
	}
	if err := s.begin(); err != nil {
		return err
	}
	if s.shown == 0 {
		rows = rows[len(s.between):]
	}
	s.shown += own.count
	_, err := s.w.Write(rows)
	own.rows, own.count = own.rows[:0], 0
	return err
}

// begin writes what comes before the entries. s.mu is held.
func (s *Stream) begin() error {
	if s.begun {
		return nil
	}
	s.begun = true
	if m, ok := s.format.(Measurer[*entry.Entry]); ok {
		for i := range s.held {
			m.Measure(&s.held[i])
		}
	}
	_, err := s.w.Write(s.format.Begin(nil, s.frame))
	return err
}

// held entries are enough to lay out columns by.
const enoughToMeasure = 1000

// visitInTurn writes entries one visitor at a time: where columns have to be
// measured first, or entries counted.
func (s *Stream) visitInTurn(entries []entry.Entry) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, measures := s.format.(Measurer[*entry.Entry]); measures && !s.begun {
		for _, e := range entries {
			e.Name = string([]byte(e.Name))
			e.More = e.More.Clone()
			s.held = append(s.held, e)
		}
		if len(s.held) < enoughToMeasure {
			return nil
		}
		entries = nil
	}
	return s.writeInTurn(entries)
}

func (s *Stream) writeInTurn(entries []entry.Entry) error {
	if err := s.begin(); err != nil {
		return err
	}
	entries, s.held = append(s.held, entries...), nil
	var rows []byte
	for i := range entries {
		if s.first > 0 && s.shown == s.first {
			break
		}
		if s.shown > 0 {
			rows = append(rows, s.between...)
		}
		rows = s.format.Row(rows, &entries[i])
		s.shown++
	}
	_, err := s.w.Write(rows)
	return err
}

// End writes what is still held back, and what comes after the entries.
func (s *Stream) End() error {
	for _, own := range s.writers {
		if err := s.flush(own); err != nil {
			return err
		}
	}
	if err := s.writeInTurn(nil); err != nil {
		return err
	}
	s.frame.Wrote(s.shown)
	_, err := s.w.Write(s.format.End(nil, s.frame))
	return err
}
