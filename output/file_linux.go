package output

import (
	"fmt"
	"os"

	"golang.org/x/sys/unix"
)

// openUnnamed opens a new file in a folder that has no name as yet, so that it
// leaves nothing behind whatever happens, and no listing shows it.
func openUnnamed(folder string) (*os.File, error) {
	fd, err := unix.Open(folder, unix.O_TMPFILE|unix.O_WRONLY|unix.O_CLOEXEC, 0o600)
	if err != nil {
		return nil, err
	}
	return os.NewFile(uintptr(fd), folder), nil
}

// linkUnnamed gives such a file a name that must be free.
func linkUnnamed(file *os.File, name string) error {
	rel := fmt.Sprintf("/proc/self/fd/%d", file.Fd())
	return unix.Linkat(unix.AT_FDCWD, rel, unix.AT_FDCWD, name, unix.AT_SYMLINK_FOLLOW)
}
