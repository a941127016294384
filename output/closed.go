package output

import (
	"errors"
	"io"
	"os"

	"golang.org/x/sys/unix"
)

// ErrClosed is returned for what is written to a standard output that was closed
// before the program began.
var ErrClosed = errors.New("the standard output is closed, and the answer went nowhere")

// Closed is such an output.
var Closed io.Writer = closed{}

type closed struct{}

// Write implements io.Writer.
func (closed) Write([]byte) (int, error) { return 0, ErrClosed }

// IsClosed tells whether an output was closed before the program began: the null
// device stands in for it then, opened to be read from too, as no redirection has
// it.
func IsClosed(file *os.File) bool {
	var st, null unix.Stat_t
	if unix.Fstat(int(file.Fd()), &st) != nil {
		return true
	}
	if unix.Stat(os.DevNull, &null) != nil || st.Rdev != null.Rdev || st.Mode&unix.S_IFMT != unix.S_IFCHR {
		return false
	}
	flags, err := unix.FcntlInt(file.Fd(), unix.F_GETFL, 0)
	return err == nil && flags&unix.O_ACCMODE == unix.O_RDWR
}
