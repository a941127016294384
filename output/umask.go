package output

import (
	"os"

	"golang.org/x/sys/unix"
)

// Umask returns the permissions that new files are to lack. The system tells
// only while setting it.
func Umask() os.FileMode {
	mask := unix.Umask(0o077)
	unix.Umask(mask)
	return os.FileMode(mask)
}
