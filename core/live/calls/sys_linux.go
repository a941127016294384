//go:build !portable

package calls

import (
	"sync/atomic"
	"unsafe"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
)

// Dir is an open folder, read by the kernel's own records.
type Dir struct{ fd int }

const openFlags = unix.O_RDONLY | unix.O_DIRECTORY | unix.O_CLOEXEC | unix.O_NONBLOCK

// OpenDir opens a folder for reading, relative to another. Its access time is
// left alone where the system allows, which it does for its owner.
func OpenDir(at int, name string, follow bool) (Dir, error) {
	flags := openFlags | unix.O_NOATIME
	if !follow {
		flags |= unix.O_NOFOLLOW
	}
	fd, err := posix.Retry(func() (int, error) { return unix.Openat(at, name, flags, 0) })
	if err == unix.EPERM {
		fd, err = posix.Retry(func() (int, error) { return unix.Openat(at, name, flags&^unix.O_NOATIME, 0) })
	}
	return Dir{fd}, err
}

// OpenFile opens a file to read from its content, and would not wait for a pipe
// or a device that takes its place in the meantime. Its access time is left alone
// where the system allows, which it does for its owner; kept reports whether it did.
func OpenFile(at int, name string, follow bool) (fd int, kept bool, err error) {
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

// Handle is the descriptor of the folder.
func (d Dir) Handle() int { return d.fd }

// Close closes it.
func (d Dir) Close() { unix.Close(d.fd) }

// Read fills the buffer with records and returns how many bytes they take,
// 0 at the end of the folder.
func (d Dir) Read(buf []byte) (int, error) {
	return posix.Retry(func() (int, error) { return unix.Getdents(d.fd, buf) })
}

// A record of getdents64: inode (8 bytes), offset (8), length of the record
// (2), type (1), name up to a zero byte.
const (
	recordLength = 16
	recordType   = 18
	recordName   = 19
)

// NextRecord takes the first record off the buffer. The name is followed by a
// zero byte in memory.
func NextRecord(buf []byte) (name string, kind entry.Kind, rest []byte) {
	length := int(*(*uint16)(unsafe.Pointer(&buf[recordLength])))
	record := buf[:length]
	end := recordName
	for record[end] != 0 {
		end++
	}
	return unsafe.String(&record[recordName], end-recordName), entry.KindOfRecord(record[recordType]), buf[length:]
}

// Status is what the kernel reported about an entry, with space that is reused.
type Status struct{ x unix.Statx_t }

// noStatx is set once the kernel has turned out to lack the call, or to have it
// forbidden.
var noStatx atomic.Bool

const statusMask = unix.STATX_BASIC_STATS | unix.STATX_BTIME

// LookRecord asks for the status of an entry whose name comes from NextRecord,
// not following links.
func (s *Status) LookRecord(at int, name string) error {
	if noStatx.Load() {
		return s.Look(at, name, false)
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
			return s.Look(at, name, false)
		default:
			return errno
		}
	}
}

// Look asks for the status of an entry of any name.
func (s *Status) Look(at int, name string, follow bool) error {
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
func (s *Status) take(st *unix.Stat_t) {
	s.x = unix.Statx_t{
		Mode: uint16(st.Mode), Ino: st.Ino, Size: uint64(st.Size), Blocks: uint64(st.Blocks), Nlink: uint32(st.Nlink),
		Uid: st.Uid, Gid: st.Gid, Dev_major: unix.Major(uint64(st.Dev)), Dev_minor: unix.Minor(uint64(st.Dev)),
		Mtime: stamp(st.Mtim), Atime: stamp(st.Atim), Ctime: stamp(st.Ctim),
	}
}

// OfOpen asks for the status of an open folder.
func (s *Status) OfOpen(d Dir) error {
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

// Identity asks for the status of an open folder.
func (s *Status) Identity(d Dir) error {
	var st unix.Stat_t
	if err := unix.Fstat(d.fd, &st); err != nil {
		return err
	}
	s.x.Ino, s.x.Dev_major, s.x.Dev_minor = st.Ino, unix.Major(uint64(st.Dev)), unix.Minor(uint64(st.Dev))
	return nil
}

// Kind is the kind of the entry.
func (s *Status) Kind() entry.Kind { return entry.KindOfMode(uint32(s.x.Mode)) }

// Node tells it from every other entry.
func (s *Status) Node() entry.Node {
	return entry.Node{Device: unix.Mkdev(s.x.Dev_major, s.x.Dev_minor), Inode: s.x.Ino}
}

// Fill writes the status into the entry.
func (s *Status) Fill(e *entry.Entry) {
	x := &s.x
	e.Kind = s.Kind()
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

// Created returns when it was made, if the file system keeps that.
func (s *Status) Created() (entry.Time, bool) {
	return entry.Time{Sec: s.x.Btime.Sec, Nsec: s.x.Btime.Nsec}, s.x.Mask&unix.STATX_BTIME != 0
}
