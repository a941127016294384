//go:build unix && !linux

package sys

import (
	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
)

const (
	folderFlags = unix.O_RDONLY | unix.O_DIRECTORY | unix.O_CLOEXEC
	holdFlags   = unix.O_RDONLY | unix.O_NONBLOCK | unix.O_NOCTTY
)

// SyncsAll says that SyncAll can be called.
const SyncsAll = false

func syncAll(int) error { return ErrNotSupported }

func openQuietly(at int, name string, flags int) (int, error) { return unix.Openat(at, name, flags, 0) }

func rename(fromAt int, from string, toAt int, to string) error {
	return renameChecked(fromAt, from, toAt, to)
}

// MakesSpecial reports whether something of a kind can be made.
func MakesSpecial(entry.Kind) bool { return false }

func makeSpecial(int, string, entry.Kind, uint64) error { return ErrNotSupported }

func exchange(int, string, int, string) error { return ErrNotSupported }

func share(int, int, int64) error { return ErrNotSupported }

// HoldsAll says that an entry of any kind can be held and acted on by its handle, even if it may not be read.
const HoldsAll = false

// Flags; none are known here.
const (
	FlagsFixed   = 0
	FlagsKeeping = 0
)

func flagsOf(int) (uint32, error) { return 0, ErrNotSupported }

func setFlags(int, uint32) error { return ErrNotSupported }

func chown(at int, name string, uid, gid int) error {
	return unix.Fchownat(at, name, uid, gid, unix.AT_SYMLINK_NOFOLLOW)
}

func stamp(at int, name string, times []unix.Timespec) error {
	return unix.UtimesNanoAt(at, name, times, unix.AT_SYMLINK_NOFOLLOW)
}

func permit(at int, name string, mode uint32) error {
	return unix.Fchmodat(at, name, mode, unix.AT_SYMLINK_NOFOLLOW)
}

func status(at int, name string) (s Status, err error) {
	var st unix.Stat_t
	if name == "" {
		_, err = posix.Retry(func() (int, error) { return 0, unix.Fstat(at, &st) })
	} else {
		_, err = posix.Retry(func() (int, error) { return 0, unix.Fstatat(at, name, &st, unix.AT_SYMLINK_NOFOLLOW) })
	}
	s = Status{Kind: entry.KindOfMode(uint32(st.Mode)), Permissions: entry.Permissions(st.Mode & 0o7777), UID: st.Uid, GID: st.Gid, Size: st.Size,
		Inode: uint64(st.Ino), Device: uint64(st.Dev), Links: uint64(st.Nlink), Rdev: uint64(st.Rdev), Mount: uint64(st.Dev),
		Modified: posix.TimeOf(st.Mtim), Accessed: posix.TimeOf(st.Atim), Changed: posix.TimeOf(st.Ctim), Born: posix.TimeOf(st.Btim)}
	if err == nil && s.Kind == entry.KindFolder {
		var above unix.Stat_t
		if name != "" && name != "." && unix.Fstat(at, &above) == nil {
			s.MountRoot = above.Dev != st.Dev
		}
	}
	return s, err
}

func attributes(int, string) (map[string]string, error) { return nil, nil }

func setAttribute(int, string, string, string) error { return ErrNotSupported }

func dropAttribute(int, string, string) error { return nil }

// KeepsLists reports whether access lists can be kept in an open folder.
func (c *Calls) KeepsLists(int) bool { return false }

// KeepsAttributes reports whether people's attributes can be kept in an open folder.
func (c *Calls) KeepsAttributes(int) bool { return false }
