//go:build unix && (!linux || portable)

// The tag portable makes Linux take this way too, so that it can be tested there.

package live

import (
	"io"
	"os"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
)

// dir is an open folder, read by the standard library.
type dir struct{ file *os.File }

// openDir opens a folder for reading, relative to another.
func openDir(at int, name string, follow bool) (dir, error) {
	flags := unix.O_RDONLY | unix.O_DIRECTORY | unix.O_CLOEXEC | unix.O_NONBLOCK
	if !follow {
		flags |= unix.O_NOFOLLOW
	}
	fd, err := posix.Retry(func() (int, error) { return unix.Openat(at, name, flags, 0) })
	if err != nil {
		return dir{}, err
	}
	return dir{os.NewFile(uintptr(fd), name)}, nil
}

// openFile opens a file to read from its content, and would not wait for a pipe
// or a device that takes its place in the meantime. These systems have no way to leave its
// access time alone, so that kept is false.
func openFile(at int, name string, follow bool) (fd int, kept bool, err error) {
	flags := unix.O_RDONLY | unix.O_CLOEXEC | unix.O_NONBLOCK | unix.O_NOCTTY
	if !follow {
		flags |= unix.O_NOFOLLOW
	}
	fd, err = posix.Retry(func() (int, error) { return unix.Openat(at, name, flags, 0) })
	return fd, false, err
}

func (d dir) handle() int { return int(d.file.Fd()) }

func (d dir) close() { d.file.Close() }

// longestRecord is the room kept free for one more record: two bytes, a name
// and a zero byte.
const longestRecord = 2 + 1024 + 1

// read fills the buffer with records and returns how many bytes they take,
// 0 at the end of the folder. A record here is the kind, the name and a zero
// byte.
func (d dir) read(buf []byte) (int, error) {
	n := 0
	for n+longestRecord <= len(buf) {
		found, err := d.file.ReadDir(1)
		if err == io.EOF {
			break
		}
		if err != nil {
			return n, err
		}
		buf[n] = byte(kindOf(found[0].Type()))
		n++
		n += copy(buf[n:], found[0].Name())
		buf[n] = 0
		n++
	}
	return n, nil
}

func kindOf(mode os.FileMode) entry.Kind {
	switch mode.Type() {
	case 0:
		return entry.KindFile
	case os.ModeDir:
		return entry.KindFolder
	case os.ModeSymlink:
		return entry.KindLink
	case os.ModeNamedPipe:
		return entry.KindPipe
	case os.ModeSocket:
		return entry.KindSocket
	case os.ModeDevice:
		return entry.KindBlock
	case os.ModeDevice | os.ModeCharDevice:
		return entry.KindChar
	}
	return entry.KindUnknown
}

// nextRecord takes the first record off the buffer.
func nextRecord(buf []byte) (name string, kind entry.Kind, rest []byte) {
	end := 1
	for buf[end] != 0 {
		end++
	}
	return string(buf[1:end]), entry.Kind(buf[0]), buf[end+1:]
}

// status is what the kernel told of an entry, with room to be used again.
type status struct{ st unix.Stat_t }

// lookRecord asks for the status of an entry, not following links.
func (s *status) lookRecord(at int, name string) error {
	return s.look(at, strings.Clone(name), false)
}

// look asks for the status of an entry.
func (s *status) look(at int, name string, follow bool) error {
	flags := 0
	if !follow {
		flags = unix.AT_SYMLINK_NOFOLLOW
	}
	_, err := posix.Retry(func() (int, error) { return 0, unix.Fstatat(at, name, &s.st, flags) })
	return err
}

// identity asks for the status of an open folder.
func (s *status) identity(d dir) error { return unix.Fstat(d.handle(), &s.st) }

// ofOpen asks for the status of an open folder.
func (s *status) ofOpen(d dir) error { return s.identity(d) }

func (s *status) kind() entry.Kind { return entry.KindOfMode(uint32(s.st.Mode)) }

func (s *status) node() entry.Node {
	return entry.Node{Device: uint64(s.st.Dev), Inode: uint64(s.st.Ino)}
}

// fill writes the status into the entry.
func (s *status) fill(e *entry.Entry) {
	st := &s.st
	e.Kind = s.kind()
	e.Inode = uint64(st.Ino)
	e.Device = uint64(st.Dev)
	e.Size = st.Size
	e.Disk = st.Blocks * 512 // st_blocks counts these on all of them
	e.Links = uint32(st.Nlink)
	e.UID, e.GID = st.Uid, st.Gid
	e.Permissions = entry.Permissions(st.Mode & 0o7777)
	e.Modified = posix.TimeOf(st.Mtim)
	e.Accessed = posix.TimeOf(st.Atim)
	e.Changed = posix.TimeOf(st.Ctim)
	e.Known |= entry.FactStatus
}
