//go:build !portable

package live

import (
	"sync/atomic"
	"unsafe"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
)

// dir is an open folder, read by the kernel's own records.
type dir struct{ fd int }

const openFlags = unix.O_RDONLY | unix.O_DIRECTORY | unix.O_CLOEXEC | unix.O_NONBLOCK

// openDir opens a folder for reading, relative to another. Its access time is
// left alone where the system allows, which it does for its owner.
func openDir(at int, name string, follow bool) (dir, error) {
	flags := openFlags | unix.O_NOATIME
	if !follow {
		flags |= unix.O_NOFOLLOW
	}
	fd, err := posix.Retry(func() (int, error) { return unix.Openat(at, name, flags, 0) })
	if err == unix.EPERM {
		fd, err = posix.Retry(func() (int, error) { return unix.Openat(at, name, flags&^unix.O_NOATIME, 0) })
	}
	return dir{fd}, err
}

// openFile opens a file to read from its content, and would not wait for a pipe
// or a device that takes its place in the meantime. Its access time is left alone
// where the system allows, which it does for its owner; kept reports whether it did.
func openFile(at int, name string, follow bool) (fd int, kept bool, err error) {
	flags := unix.O_RDONLY | unix.O_CLOEXEC | unix.O_NONBLOCK | unix.O_NOCTTY | unix.O_NOATIME
	if !follow {
		flags |= unix.O_NOFOLLOW
	}
	fd, err = posix.Retry(func() (int, error) { return unix.Openat(at, name, flags, 0) })
	if err != unix.EPERM {
		return fd, true, err
	}
	fd, err = posix.Retry(func() (int, error) { return unix.Openat(at, name, flags&^unix.O_NOATIME, 0) })
	return fd, false, err
}

func (d dir) handle() int { return d.fd }

func (d dir) close() { unix.Close(d.fd) }

// read fills the buffer with records and returns how many bytes they take,
// 0 at the end of the folder.
func (d dir) read(buf []byte) (int, error) {
	return posix.Retry(func() (int, error) { return unix.Getdents(d.fd, buf) })
}

// A record of getdents64: inode (8 bytes), offset (8), length of the record
// (2), type (1), name up to a zero byte.
const (
	recordLength = 16
	recordType   = 18
	recordName   = 19
)

// nextRecord takes the first record off the buffer. The name is followed by a
// zero byte in memory.
func nextRecord(buf []byte) (name string, kind entry.Kind, rest []byte) {
	length := int(*(*uint16)(unsafe.Pointer(&buf[recordLength])))
	record := buf[:length]
	end := recordName
	for record[end] != 0 {
		end++
	}
	return unsafe.String(&record[recordName], end-recordName), entry.KindOfRecord(record[recordType]), buf[length:]
}

// status is what the kernel told of an entry, with room to be used again.
type status struct{ x unix.Statx_t }

// noStatx is set once the kernel has turned out to lack the call, or to have it
// forbidden.
var noStatx atomic.Bool

const statusMask = unix.STATX_BASIC_STATS | unix.STATX_BTIME

// lookRecord asks for the status of an entry whose name comes from nextRecord,
// not following links.
func (s *status) lookRecord(at int, name string) error {
	if noStatx.Load() {
		return s.look(at, name, false)
	}
	const flags = unix.AT_SYMLINK_NOFOLLOW | unix.AT_NO_AUTOMOUNT
	for {
		_, _, errno := unix.Syscall6(unix.SYS_STATX, uintptr(at), uintptr(unsafe.Pointer(unsafe.StringData(name))),
			flags, statusMask, uintptr(unsafe.Pointer(&s.x)), 0)
		switch errno {
		case 0:
			return nil
		case unix.EINTR:
		case unix.ENOSYS, unix.EPERM:
			return s.look(at, name, false)
		default:
			return errno
		}
	}
}

// look asks for the status of an entry of any name.
func (s *status) look(at int, name string, follow bool) error {
	flags := unix.AT_NO_AUTOMOUNT
	if !follow {
		flags |= unix.AT_SYMLINK_NOFOLLOW
	}
	if !noStatx.Load() {
		_, err := posix.Retry(func() (int, error) { return 0, unix.Statx(at, name, flags, statusMask, &s.x) })
		if err != unix.ENOSYS && err != unix.EPERM {
			return err
		}
	}
	var st unix.Stat_t
	_, err := posix.Retry(func() (int, error) { return 0, unix.Fstatat(at, name, &st, flags) })
	if err == nil { // it was the call that was refused
		noStatx.Store(true)
	}
	s.take(&st)
	return err
}

// take takes what the older call tells.
func (s *status) take(st *unix.Stat_t) {
	s.x = unix.Statx_t{
		Mode: uint16(st.Mode), Ino: st.Ino, Size: uint64(st.Size), Blocks: uint64(st.Blocks), Nlink: uint32(st.Nlink),
		Uid: st.Uid, Gid: st.Gid, Dev_major: unix.Major(uint64(st.Dev)), Dev_minor: unix.Minor(uint64(st.Dev)),
		Mtime: stamp(st.Mtim), Atime: stamp(st.Atim), Ctime: stamp(st.Ctim),
	}
}

// ofOpen asks for the status of an open folder.
func (s *status) ofOpen(d dir) error {
	var st unix.Stat_t
	err := unix.Fstat(d.fd, &st)
	if err == nil {
		s.take(&st)
	}
	return err
}

func stamp(t unix.Timespec) unix.StatxTimestamp {
	return unix.StatxTimestamp{Sec: int64(t.Sec), Nsec: uint32(t.Nsec)}
}

// identity asks for the status of an open folder.
func (s *status) identity(d dir) error {
	var st unix.Stat_t
	if err := unix.Fstat(d.fd, &st); err != nil {
		return err
	}
	s.x.Ino, s.x.Dev_major, s.x.Dev_minor = st.Ino, unix.Major(uint64(st.Dev)), unix.Minor(uint64(st.Dev))
	return nil
}

func (s *status) kind() entry.Kind { return entry.KindOfMode(uint32(s.x.Mode)) }

func (s *status) node() entry.Node {
	return entry.Node{Device: unix.Mkdev(s.x.Dev_major, s.x.Dev_minor), Inode: s.x.Ino}
}

// fill writes the status into the entry.
func (s *status) fill(e *entry.Entry) {
	x := &s.x
	e.Kind = s.kind()
	e.Inode = x.Ino
	e.Device = unix.Mkdev(x.Dev_major, x.Dev_minor)
	e.Size = int64(x.Size)
	e.Disk = int64(x.Blocks) * 512
	e.Links = x.Nlink
	e.UID, e.GID = x.Uid, x.Gid
	e.Permissions = entry.Permissions(x.Mode & 0o7777)
	e.Modified = entry.Time{Sec: x.Mtime.Sec, Nsec: x.Mtime.Nsec}
	e.Accessed = entry.Time{Sec: x.Atime.Sec, Nsec: x.Atime.Nsec}
	e.Changed = entry.Time{Sec: x.Ctime.Sec, Nsec: x.Ctime.Nsec}
	e.Known |= entry.FactStatus
}

// created returns when it was made, if the file system keeps that.
func (s *status) created() (entry.Time, bool) {
	return entry.Time{Sec: s.x.Btime.Sec, Nsec: s.x.Btime.Nsec}, s.x.Mask&unix.STATX_BTIME != 0
}
