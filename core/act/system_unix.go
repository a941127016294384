//go:build unix && !linux

package act

import "golang.org/x/sys/unix"

const folderFlags = unix.O_RDONLY | unix.O_DIRECTORY | unix.O_CLOEXEC

func rename(fromFd int, from string, toFd int, to string) error {
	return renameChecked(fromFd, from, toFd, to)
}

func permit(fd int, name string, mode uint32) error {
	return unix.Fchmodat(fd, name, mode, unix.AT_SYMLINK_NOFOLLOW)
}

func isMountPoint(fd int, name string) bool { return onOtherDevice(fd, name) }
