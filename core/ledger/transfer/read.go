package transfer

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"path"

	"frankledger/core/exact"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Reader reads lines.
type Reader struct {
	in     *bufio.Reader
	Number int // of the line that was read last, from 1; 0 if it could not be read
}

// NewReader returns a reader of lines.
func NewReader(from io.Reader) *Reader { return &Reader{in: bufio.NewReaderSize(from, 1<<20)} }

// Line is what one line says. Of its members, one is there.
type Line struct {
	Record  *Record
	Problem *store.ProblemRow
	Lost    *Lost
	// Entry is what a record has of an entry in a folder, which is given by its path
	// from the place.
	Entry  *encoding.Recorded
	Folder string
	End    *int // how many records there should have been
}

// Record is a record, with the numbers that file systems have in the records of its
// place.
type Record struct {
	store.RecordRow
	Volumes map[string]uint64
}

// Lost is a folder that could not be read completely.
type Lost struct{ Path, Reason string }

// Next returns the next line. Its errors are those of the reader behind it,
// [ErrLines], [ErrCutShort] and [store.ErrNewer].
func (r *Reader) Next() (*Line, error) {
	for {
		content, err := r.in.ReadBytes('\n')
		switch {
		case err == io.EOF && len(bytes.TrimSpace(content)) == 0:
			return nil, ErrCutShort
		case err != nil && err != io.EOF:
			r.Number = 0
			return nil, err
		}
		r.Number++
		var l line
		if err := exact.Unmarshal(content, &l); err != nil {
			return nil, fmt.Errorf("%w: %w", ErrLines, err)
		}
		switch {
		case r.Number == 1 && (l.Ledger == nil || *l.Ledger < 1):
			return nil, ErrLines
		case l.Ledger != nil && *l.Ledger > Version:
			return nil, store.ErrNewer
		case l.Ledger != nil && l.End == nil:
			continue
		}
		return l.read()
	}
}

// read returns what the line says.
func (l *line) read() (*Line, error) {
	wrong := func(err error) (*Line, error) { return nil, fmt.Errorf("%w: %w", ErrLines, err) }
	switch {
	case l.End != nil:
		return &Line{End: l.End}, nil
	case l.Record != nil:
		row, err := l.Record.row()
		if err != nil {
			return wrong(err)
		}
		return &Line{Record: &Record{row, l.Record.Volumes}}, nil
	case l.Problem != nil:
		p := l.Problem
		return &Line{Problem: &store.ProblemRow{Path: string(p.Relative), Tried: p.Tried, Reason: p.Reason, Entries: p.Entries, Vanished: p.Vanished}}, nil
	case l.Lost != nil:
		return &Line{Lost: &Lost{string(l.Lost.Relative), l.Lost.Reason}}, nil
	case l.Gone != nil:
		gone := &Line{Entry: &encoding.Recorded{Gone: true}}
		gone.Folder, gone.Entry.Entry.Name = split(string(*l.Gone))
		return gone, nil
	case l.Entry != nil:
		folder, name := split(string(l.Entry.Relative))
		if len(name) > encoding.LongestName || !encoding.CanBeName([]byte(name), []byte(name)) {
			return nil, fmt.Errorf("%w: an entry has no name", ErrLines)
		}
		recorded, err := l.Entry.recorded()
		if err != nil {
			return wrong(err)
		}
		recorded.Entry.Name = name
		return &Line{Entry: &recorded, Folder: folder}, nil
	}
	return nil, fmt.Errorf("%w: a line of an unknown kind", ErrLines)
}

func split(full string) (folder, name string) {
	folder, name = path.Split(full)
	return path.Clean("/" + folder)[1:], name
}
