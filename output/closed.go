package output

import (
	"errors"
	"io"
)

// ErrClosed is returned for what is written to a standard output that was closed
// before the program began.
var ErrClosed = errors.New("the standard output is closed, so the answer is lost")

// Closed is such an output.
var Closed io.Writer = closed{}

type closed struct{}

// Write implements io.Writer.
func (closed) Write([]byte) (int, error) { return 0, ErrClosed }
