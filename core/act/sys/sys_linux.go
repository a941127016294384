package sys

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
)

const (
	folderFlags = unix.O_PATH | unix.O_DIRECTORY | unix.O_CLOEXEC
	holdFlags   = unix.O_PATH
)

// SyncsAll says that SyncAll can be called.
const SyncsAll = true

func syncAll(fd int) error { return unix.Syncfs(fd) }

// openQuietly opens something for reading without setting its access time, which
// the system allows to its owner.
func openQuietly(at int, name string, flags int) (int, error) {
	fd, err := unix.Openat(at, name, flags|unix.O_NOATIME, 0)
	if err == unix.EPERM {
		fd, err = unix.Openat(at, name, flags, 0)
	}
	return fd, err
}

func rename(fromAt int, from string, toAt int, to string) error {
	err := unix.Renameat2(fromAt, from, toAt, to, unix.RENAME_NOREPLACE)
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOSYS) { // the file system knows no such thing
		return renameChecked(fromAt, from, toAt, to)
	}
	return err
}

// MakesSpecial reports whether something of a kind can be made: a device only by an
// administrator.
func MakesSpecial(kind entry.Kind) bool {
	return kind == entry.KindPipe || kind == entry.KindSocket || os.Geteuid() == 0
}

func makeSpecial(at int, name string, kind entry.Kind, device uint64) error {
	modes := map[entry.Kind]uint32{entry.KindPipe: unix.S_IFIFO, entry.KindSocket: unix.S_IFSOCK, entry.KindBlock: unix.S_IFBLK, entry.KindChar: unix.S_IFCHR}
	mode, known := modes[kind]
	if !known {
		return ErrNotSupported
	}
	return unix.Mknodat(at, name, mode|0o600, int(device))
}

func exchange(oneAt int, one string, otherAt int, other string) error {
	err := unix.Renameat2(oneAt, one, otherAt, other, unix.RENAME_EXCHANGE)
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOSYS) {
		return ErrNotSupported
	}
	return err
}

// share is asked for a piece at a time: file systems take no more at once.
func share(from, to int, size int64) error {
	const most = 16 << 20
	for offset := int64(0); ; {
		ask := unix.FileDedupeRange{Src_offset: uint64(offset), Src_length: uint64(min(most, size-offset)),
			Info: []unix.FileDedupeRangeInfo{{Dest_fd: int64(to), Dest_offset: uint64(offset)}}}
		if err := unix.IoctlFileDedupeRange(from, &ask); err != nil {
			if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTTY) || errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.EXDEV) {
				return ErrNotSupported
			}
			return err
		}
		switch got := ask.Info[0]; {
		case got.Status == unix.FILE_DEDUPE_RANGE_DIFFERS:
			return ErrDiffers
		case got.Status == -int32(unix.EOPNOTSUPP) || got.Status == -int32(unix.EINVAL) || got.Status == -int32(unix.EXDEV):
			return ErrNotSupported
		case got.Status < 0:
			return unix.Errno(-got.Status)
		default:
			if offset += int64(got.Bytes_deduped); offset >= size {
				return nil
			}
			if got.Bytes_deduped == 0 {
				return ErrNotSupported
			}
		}
	}
}

// HoldsAll says that an entry of any kind can be held and acted on by its handle, even if it may not be read.
const HoldsAll = true

// byHandle returns a path that leads to what is open.
func byHandle(fd int) string { return fmt.Sprint("/proc/self/fd/", fd) }

func chown(at int, name string, uid, gid int) error {
	flags := unix.AT_SYMLINK_NOFOLLOW
	if name == "" {
		flags |= unix.AT_EMPTY_PATH
	}
	return unix.Fchownat(at, name, uid, gid, flags)
}

func stamp(at int, name string, times []unix.Timespec) error {
	if name != "" {
		return unix.UtimesNanoAt(at, name, times, unix.AT_SYMLINK_NOFOLLOW)
	}
	err := unix.UtimesNanoAt(at, "", times, unix.AT_EMPTY_PATH)
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOENT) { // a kernel before 5.8
		return unix.UtimesNanoAt(unix.AT_FDCWD, byHandle(at), times, 0)
	}
	return err
}

func permit(at int, name string, mode uint32) error {
	if name == "" {
		err := unix.Fchmodat(at, "", mode, unix.AT_EMPTY_PATH)
		if errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOENT) { // a kernel before 6.6
			err = unix.Chmod(byHandle(at), mode)
		}
		return err
	}
	err := unix.Fchmodat(at, name, mode, unix.AT_SYMLINK_NOFOLLOW)
	if !errors.Is(err, unix.EOPNOTSUPP) {
		return err
	}
	// An older kernel. By way of an open handle, no link can come in between.
	fd, err := posix.Retry(func() (int, error) { return unix.Openat(at, name, unix.O_PATH|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0) })
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	return unix.Chmod(byHandle(fd), mode)
}

const statusMask = unix.STATX_BASIC_STATS | unix.STATX_BTIME | unix.STATX_MNT_ID

func status(at int, name string) (s Status, err error) {
	flags := unix.AT_SYMLINK_NOFOLLOW | unix.AT_NO_AUTOMOUNT
	if name == "" {
		flags |= unix.AT_EMPTY_PATH
	}
	var x unix.Statx_t
	_, err = posix.Retry(func() (int, error) { return 0, unix.Statx(at, name, flags, statusMask, &x) })
	if errors.Is(err, unix.ENOSYS) {
		return oldStatus(at, name, flags)
	}
	s = Status{Kind: entry.KindOfMode(uint32(x.Mode)), Permissions: entry.Permissions(x.Mode & 0o7777), UID: x.Uid, GID: x.Gid, Size: int64(x.Size),
		Inode: x.Ino, Device: unix.Mkdev(x.Dev_major, x.Dev_minor), Links: uint64(x.Nlink), Rdev: unix.Mkdev(x.Rdev_major, x.Rdev_minor),
		Modified: timeOfStatx(x.Mtime), Accessed: timeOfStatx(x.Atime), Changed: timeOfStatx(x.Ctime)}
	if x.Mask&unix.STATX_BTIME != 0 {
		s.Born = timeOfStatx(x.Btime)
	}
	if s.Mount = s.Device; x.Mask&unix.STATX_MNT_ID != 0 {
		s.Mount = x.Mnt_id
	}
	s.Fixed = x.Attributes&x.Attributes_mask&(unix.STATX_ATTR_IMMUTABLE|unix.STATX_ATTR_APPEND) != 0
	s.MountRoot = x.Attributes&x.Attributes_mask&unix.STATX_ATTR_MOUNT_ROOT != 0
	return s, err
}

func timeOfStatx(t unix.StatxTimestamp) entry.Time { return entry.Time{Sec: t.Sec, Nsec: t.Nsec} }

// oldStatus is for kernels before 4.11.
func oldStatus(at int, name string, flags int) (Status, error) {
	var st unix.Stat_t
	_, err := posix.Retry(func() (int, error) { return 0, unix.Fstatat(at, name, &st, flags) })
	return Status{Kind: entry.KindOfMode(uint32(st.Mode)), Permissions: entry.Permissions(st.Mode & 0o7777), UID: st.Uid, GID: st.Gid, Size: st.Size,
		Inode: st.Ino, Device: uint64(st.Dev), Links: uint64(st.Nlink), Rdev: uint64(st.Rdev),
		Modified: posix.TimeOf(st.Mtim), Accessed: posix.TimeOf(st.Atim), Changed: posix.TimeOf(st.Ctim), Mount: uint64(st.Dev)}, err
}

// Attributes that a file system makes of others, which come along with those.
var derived = map[string]bool{"trusted.SGI_ACL_FILE": true, "trusted.SGI_ACL_DEFAULT": true}

func attributes(at int, name string) (map[string]string, error) {
	path, list, get := posix.ByHandle(at, name), unix.Llistxattr, unix.Lgetxattr
	if name == "" {
		path, list, get = byHandle(at), unix.Listxattr, unix.Getxattr
	}
	keys, err := posix.Grown(func(room []byte) (int, error) { return list(path, room) })
	if errors.Is(err, unix.ENOTSUP) {
		return nil, nil
	}
	if err != nil || len(keys) == 0 {
		return nil, err
	}
	all := map[string]string{}
	for key := range strings.SplitSeq(strings.TrimSuffix(string(keys), "\x00"), "\x00") {
		if derived[key] {
			continue
		}
		value, err := posix.Grown(func(room []byte) (int, error) { return get(path, key, room) })
		if errors.Is(err, unix.ENODATA) {
			continue
		}
		if err != nil {
			return nil, err
		}
		all[key] = string(value)
	}
	return all, nil
}

func setAttribute(at int, name, key, value string) error {
	if name == "" {
		return notSupported(unix.Setxattr(byHandle(at), key, []byte(value), 0))
	}
	return notSupported(unix.Lsetxattr(posix.ByHandle(at, name), key, []byte(value), 0))
}

func dropAttribute(at int, name, key string) error {
	path, drop := posix.ByHandle(at, name), unix.Lremovexattr
	if name == "" {
		path, drop = byHandle(at), unix.Removexattr
	}
	err := drop(path, key)
	if errors.Is(err, unix.ENODATA) || errors.Is(err, unix.ENOTSUP) {
		return nil
	}
	return err
}

// The flags that people set (chattr): those that say how a file is kept. What a file
// system sets itself, such as that a file is kept in extents, is not among them.
const kept = 0x1 | // its content is overwritten when it is removed
	0x2 | // it can be brought back when it is removed
	0x8 | // written through at once
	FlagsFixed | FlagsKeeping |
	0x40 | // not to be dumped
	0x80 | // times of reading are not kept
	0x4000 | // its content is journalled
	0x10000 | // changes of the folder are written at once
	0x20000 // the top of a tree of folders that belong together

const (
	FlagsFixed   = 0x10 | 0x20    // it cannot be altered, renamed or removed, or only be added to
	FlagsKeeping = 0x4 | 0x800000 // compressed; not copied on write
)

func flagsOf(fd int) (uint32, error) {
	flags, err := unix.IoctlGetUint32(fd, unix.FS_IOC_GETFLAGS)
	return flags & kept, noFlags(err)
}

func setFlags(fd int, flags uint32) error {
	now, err := unix.IoctlGetUint32(fd, unix.FS_IOC_GETFLAGS)
	if err == nil {
		err = unix.IoctlSetPointerInt(fd, unix.FS_IOC_SETFLAGS, int(now&^kept|flags&kept))
	}
	return noFlags(err)
}

func noFlags(err error) error {
	if errors.Is(err, unix.ENOTTY) || errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EINVAL) {
		return ErrNotSupported
	}
	return err
}

func notSupported(err error) error {
	if errors.Is(err, unix.ENOTSUP) {
		return ErrNotSupported
	}
	return err
}

// KeepsLists reports whether access lists can be kept in an open folder.
func (c *Calls) KeepsLists(at int) bool {
	_, err := unix.Lgetxattr(posix.ByHandle(at, "."), AccessList, make([]byte, 4096))
	return err == nil || errors.Is(err, unix.ENODATA)
}

// KeepsAttributes reports whether people's attributes can be kept in an open folder.
func (c *Calls) KeepsAttributes(at int) bool {
	_, err := unix.Lgetxattr(posix.ByHandle(at, "."), "user.frank", make([]byte, 4096))
	return err == nil || errors.Is(err, unix.ENODATA)
}
