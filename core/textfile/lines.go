package textfile

import (
	"bytes"
	"errors"
	"fmt"
	"io"
)

// Lines reads a text forwards and backwards, line by line.
type Lines struct {
	Encoding Encoding
	from     io.ReaderAt
	start    int64 // after the mark of the encoding
	size     int64
	buf      []byte // some of it
	at       int64  // where that begins
}

// ErrNoText is returned for a file that is no text.
var ErrNoText = errors.New("it is not text")

// mostDecoded is how much text is kept in memory that is neither ASCII nor UTF-8, in bytes.
const mostDecoded = 64 << 20

// longestPiece is how long a line is at most; what is longer comes in pieces.
const longestPiece = 32 << 10

// NewLines returns the lines of a file of so many bytes, as it is now. They are in UTF-8. The error is [ErrNoText], or
// says what could not be read.
func NewLines(file io.ReaderAt, size int64) (*Lines, error) {
	if size == 0 { // the system may make it up as it is read
		made, err := io.ReadAll(io.NewSectionReader(file, 0, mostDecoded))
		if err != nil {
			return nil, err
		}
		file, size = bytes.NewReader(made), int64(len(made))
	}
	head := make([]byte, min(headSize, size))
	if n, err := file.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	} else if int64(n) < size && n < len(head) { // it became shorter
		head, size = head[:n], int64(n)
	}
	encoding, mark := Tell(head)
	l := &Lines{Encoding: encoding, from: file, start: int64(mark), size: size}
	switch encoding {
	case None:
		return nil, ErrNoText
	case UTF8:
		return l, nil
	}
	decoded, err := io.ReadAll(io.LimitReader(Decoded(io.NewSectionReader(file, int64(mark), size-int64(mark)), encoding), mostDecoded+1))
	if err != nil {
		return nil, err
	}
	if len(decoded) > mostDecoded {
		return nil, fmt.Errorf("its text is in %s, and too long to keep in memory", encoding)
	}
	l.from, l.start, l.size = bytes.NewReader(decoded), 0, int64(len(decoded))
	return l, nil
}

// Start returns where the first line begins, and End where the last one ends.
func (l *Lines) Start() int64 { return l.start }

// End returns where the last line ends.
func (l *Lines) End() int64 { return l.size }

// window makes sure that what is between two places is at hand, as far as it is there, and returns it.
func (l *Lines) window(from, to int64) ([]byte, error) {
	to = min(to, l.size)
	if from >= to {
		return nil, nil
	}
	if from < l.at || to > l.at+int64(len(l.buf)) {
		l.buf = append(l.buf[:0], make([]byte, max(to-from, min(2*longestPiece, l.size-from)))...)
		n, err := l.from.ReadAt(l.buf, from)
		l.at, l.buf = from, l.buf[:n]
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, err
		}
	}
	return l.buf[from-l.at : min(to-l.at, int64(len(l.buf)))], nil
}

// Next returns the line that begins at a place, without its end, and where the next one begins. At the end it
// returns [io.EOF]. The line is valid until the next call.
func (l *Lines) Next(at int64) (line []byte, next int64, err error) {
	some, err := l.window(at, at+longestPiece)
	switch {
	case err != nil:
		return nil, at, err
	case len(some) == 0:
		return nil, at, io.EOF
	}
	if end := bytes.IndexByte(some, '\n'); end >= 0 {
		return withoutReturn(some[:end]), at + int64(end) + 1, nil
	}
	return some, at + int64(len(some)), nil
}

// Ends reports whether a line ends before a place that Next returned, not only a piece of one.
func (l *Lines) Ends(next int64) bool {
	some, err := l.window(next-1, next)
	return err == nil && len(some) == 1 && some[0] == '\n'
}

// Previous returns where the line begins that is before a place at which one begins.
func (l *Lines) Previous(at int64) (int64, error) {
	from := max(l.start, at-longestPiece)
	some, err := l.window(from, at)
	if err != nil || len(some) == 0 {
		return l.start, err
	}
	return from + int64(bytes.LastIndexByte(some[:len(some)-1], '\n')) + 1, nil
}

// Last returns where the last so many lines begin.
func (l *Lines) Last(lines int) (at int64, err error) {
	for at = l.size; lines > 0 && at > l.start && err == nil; lines-- {
		at, err = l.Previous(at)
	}
	return at, err
}

// Count returns how many lines end before a place, with the last one if nothing ends it.
func (l *Lines) Count(before int64) (lines int64, err error) {
	buf := make([]byte, min(blockSize, max(before-l.start, 1)))
	last := byte('\n')
	for at := l.start; at < before; {
		n, err := l.from.ReadAt(buf[:min(int64(len(buf)), before-at)], at)
		if n == 0 {
			return lines, err
		}
		lines += int64(bytes.Count(buf[:n], newline))
		last = buf[n-1]
		at += int64(n)
	}
	if last != '\n' {
		lines++
	}
	return lines, nil
}

// Line returns where a line begins, by its number from 1 on; the end, if there are fewer.
func (l *Lines) Line(number int64) (at int64, err error) {
	buf := make([]byte, blockSize)
	for at = l.start; number > 1 && at < l.size; {
		n, err := l.from.ReadAt(buf[:min(int64(len(buf)), l.size-at)], at)
		if n == 0 {
			return at, err
		}
		if lines := int64(bytes.Count(buf[:n], newline)); lines < number-1 {
			number, at = number-lines, at+int64(n)
			continue
		}
		for skipped := 0; number > 1; number-- {
			end := bytes.IndexByte(buf[skipped:n], '\n') + 1
			skipped, at = skipped+end, at+int64(end)
		}
	}
	return at, nil
}
