//go:build unix && (!linux || portable)

// The tag portable makes Linux take this way too, so that it can be tested there.

package calls

import (
	"io"
	"os"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
)

// Dir is an open folder, read by the standard library.
type Dir struct{ file *os.File }

// OpenDir opens a folder for reading, relative to another.
func OpenDir(at int, name string, follow bool) (Dir, error) {
	flags := unix.O_RDONLY | unix.O_DIRECTORY | unix.O_CLOEXEC | unix.O_NONBLOCK
	if !follow {
		flags |= unix.O_NOFOLLOW
	}
	fd, err := posix.Retry(func() (int, error) { return unix.Openat(at, name, flags, 0) })
	if err != nil {
		return Dir{}, err
	}
	return Dir{os.NewFile(uintptr(fd), name)}, nil
}

// OpenFile opens a file to read from its content, and would not wait for a pipe
// or a device that takes its place in the meantime. These systems have no way to leave its
// access time alone, so that kept is false.
func OpenFile(at int, name string, follow bool) (fd int, kept bool, err error) {
	flags := unix.O_RDONLY | unix.O_CLOEXEC | unix.O_NONBLOCK | unix.O_NOCTTY
	if !follow {
		flags |= unix.O_NOFOLLOW
	}
	fd, err = posix.Retry(func() (int, error) { return unix.Openat(at, name, flags, 0) })
	return fd, false, err
}

// Handle is the descriptor of the folder.
func (d Dir) Handle() int { return int(d.file.Fd()) }

// Close closes it.
func (d Dir) Close() { d.file.Close() }

// longestRecord is the room kept free for one more record: two bytes, a name
// and a zero byte.
const longestRecord = 2 + 1024 + 1

// Read fills the buffer with records and returns how many bytes they take,
// 0 at the end of the folder. A record here is the kind, the name and a zero
// byte.
func (d Dir) Read(buf []byte) (int, error) {
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

// NextRecord takes the first record off the buffer.
func NextRecord(buf []byte) (name string, kind entry.Kind, rest []byte) {
	end := 1
	for buf[end] != 0 {
		end++
	}
	return string(buf[1:end]), entry.Kind(buf[0]), buf[end+1:]
}

// Status is what the kernel reported about an entry, with space that is reused.
type Status struct{ st unix.Stat_t }

// LookRecord asks for the status of an entry, not following links.
func (s *Status) LookRecord(at int, name string) error {
	return s.Look(at, strings.Clone(name), false)
}

// Look asks for the status of an entry.
func (s *Status) Look(at int, name string, follow bool) error {
	flags := 0
	if !follow {
		flags = unix.AT_SYMLINK_NOFOLLOW
	}
	_, err := posix.Retry(func() (int, error) { return 0, unix.Fstatat(at, name, &s.st, flags) })
	return err
}

// Identity asks for the status of an open folder.
func (s *Status) Identity(d Dir) error { return unix.Fstat(d.Handle(), &s.st) }

// OfOpen asks for the status of an open folder.
func (s *Status) OfOpen(d Dir) error { return s.Identity(d) }

// Kind is the kind of the entry.
func (s *Status) Kind() entry.Kind { return entry.KindOfMode(uint32(s.st.Mode)) }

// Node tells it from every other entry.
func (s *Status) Node() entry.Node {
	return entry.Node{Device: uint64(s.st.Dev), Inode: uint64(s.st.Ino)}
}

// Fill writes the status into the entry.
func (s *Status) Fill(e *entry.Entry) {
	st := &s.st
	e.Kind = s.Kind()
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
