package output

import (
	"os"

	"golang.org/x/sys/unix"
)

// umask returns the permissions that new files are to lack. The system tells
// only while setting it.
func umask() os.FileMode {
	mask := unix.Umask(0o077)
	unix.Umask(mask)
	return os.FileMode(mask)
}
