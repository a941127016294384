package transfer

import (
	"io"

	"frankledger/core/exact"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Writer writes lines.
type Writer struct {
	out   io.Writer
	room  []byte
	Lines int64 // how many it has written
}

// NewWriter returns a writer that has written the line that says what this is.
func NewWriter(to io.Writer) (*Writer, error) {
	w := &Writer{out: to}
	version := Version
	return w, w.put(&line{Ledger: &version})
}

func (w *Writer) put(l *line) error {
	w.Lines++
	w.room = append(exact.Append(w.room[:0], l), '\n')
	_, err := w.out.Write(w.room)
	return err
}

// Record writes a record, with the numbers that file systems have in the records of
// its place.
func (w *Writer) Record(r *store.RecordRow, volumes map[string]uint64) error {
	l, err := recordLineOf(r, volumes)
	if err != nil {
		return err
	}
	return w.put(&line{Record: l})
}

// Problem writes what could not be read when the last record was made.
func (w *Writer) Problem(p store.ProblemRow) error {
	return w.put(&line{Problem: &problemLine{Relative: exact.Text(p.Path), Tried: p.Tried, Reason: p.Reason, Entries: p.Entries, Vanished: p.Vanished}})
}

// Lost writes that not all is known of a folder at the last record, and why.
func (w *Writer) Lost(path, reason string) error {
	return w.put(&line{Lost: &lostLine{Relative: exact.Text(path), Reason: reason}})
}

// Entry writes what the last record has of an entry, under its path from the place.
func (w *Writer) Entry(path string, r *encoding.Recorded) error {
	if r.Gone {
		gone := exact.Text(path)
		return w.put(&line{Gone: &gone})
	}
	return w.put(&line{Entry: entryLineOf(path, r)})
}

// End writes that this is all, and how many records it was.
func (w *Writer) End(records int) error { return w.put(&line{End: &records}) }
