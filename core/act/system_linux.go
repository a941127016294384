package act

import (
	"errors"
	"fmt"
	"os"

	"golang.org/x/sys/unix"
)

// folderFlags open a folder only to look for names in it, which takes no right to
// read it.
const folderFlags = unix.O_PATH | unix.O_DIRECTORY | unix.O_CLOEXEC

// rename renames without ever replacing anything.
func rename(fromFd int, from string, toFd int, to string) error {
	_, err := retry(func() (int, error) { return 0, unix.Renameat2(fromFd, from, toFd, to, unix.RENAME_NOREPLACE) })
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOSYS) { // the file system knows no such thing
		return renameChecked(fromFd, from, toFd, to)
	}
	if errors.Is(err, unix.EEXIST) {
		return errTaken
	}
	return err
}

// permit sets permissions of what is no link.
func permit(fd int, name string, mode uint32) error {
	err := unix.Fchmodat(fd, name, mode, unix.AT_SYMLINK_NOFOLLOW)
	if !errors.Is(err, unix.EOPNOTSUPP) {
		return err
	}
	// An older kernel. By way of an open handle, no link can come in between.
	file, err := retry(func() (int, error) { return unix.Openat(fd, name, unix.O_PATH|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0) })
	if err != nil {
		return err
	}
	defer unix.Close(file)
	return os.Chmod(fmt.Sprint("/proc/self/fd/", file), os.FileMode(mode&0o777)|fileMode(mode))
}

// isMountPoint tells whether a file system is mounted on a folder.
func isMountPoint(fd int, name string) bool {
	var st unix.Statx_t
	_, err := retry(func() (int, error) { return 0, unix.Statx(fd, name, unix.AT_SYMLINK_NOFOLLOW, unix.STATX_TYPE, &st) })
	if err == nil && st.Attributes_mask&unix.STATX_ATTR_MOUNT_ROOT != 0 {
		return st.Attributes&unix.STATX_ATTR_MOUNT_ROOT != 0
	}
	return onOtherDevice(fd, name)
}
