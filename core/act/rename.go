package act

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// renameChecked renames if there is nothing of the new name, where the system
// cannot see to that itself.
func renameChecked(fromFd int, from string, toFd int, to string) error {
	if _, err := status(toFd, to, false); !errors.Is(err, unix.ENOENT) {
		if err == nil {
			err = errTaken
		}
		return err
	}
	_, err := retry(func() (int, error) { return 0, unix.Renameat(fromFd, from, toFd, to) })
	return err
}

// fileMode returns the special bits of POSIX's mode as Go has them.
func fileMode(mode uint32) (m os.FileMode) {
	for bit, special := range map[uint32]os.FileMode{unix.S_ISUID: os.ModeSetuid, unix.S_ISGID: os.ModeSetgid, unix.S_ISVTX: os.ModeSticky} {
		if mode&bit != 0 {
			m |= special
		}
	}
	return m
}
