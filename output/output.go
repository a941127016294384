// Package output is where an answer goes: a file that is written whole or not
// at all, a pager, or the standard output.
package output

import (
	"errors"
	"io"
	"os"
	"syscall"
)

// Destination takes an answer. Close ends it: with whole, the answer is
// complete and is kept; without, a file is left as it was before.
type Destination interface {
	io.Writer
	Close(whole bool) error
}

// Straight returns a destination that passes everything on.
func Straight(w io.Writer) Destination { return straight{w} }

type straight struct{ io.Writer }

func (straight) Close(bool) error { return nil }

// HungUp reports whether an error means that the reader has gone away.
func HungUp(err error) bool {
	return errors.Is(err, syscall.EPIPE) || errors.Is(err, os.ErrClosed) || errors.Is(err, io.ErrClosedPipe)
}
