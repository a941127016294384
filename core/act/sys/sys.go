// Package sys makes the calls of the operating system that acting needs, each by
// an open folder and a name in it, and none of which follows a link. A test can
// be asked before each of them, and have it fail, wait, or be the last.
package sys

import (
	"errors"
	"io"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
	"frankledger/core/volume"
)

// Call is a call that is about to be made.
type Call struct {
	Name string // of the method of Calls
	On   string // the name that it is about; empty for an open file
}

// Calls makes calls. The zero value does so without asking anybody.
type Calls struct {
	// Before is asked before each call, by any goroutine. If it returns an error,
	// the call is not made and fails with that. It may be nil.
	Before func(Call) error
}

func (c *Calls) before(name, on string) error {
	if c == nil || c.Before == nil {
		return nil
	}
	return c.Before(Call{name, on})
}

// ErrNotSupported is returned for what this system, or this file system, has not.
var ErrNotSupported = errors.New("not supported here")

// Status is what the system says of an entry.
type Status struct {
	Kind        entry.Kind
	Permissions entry.Permissions
	UID, GID    uint32
	Size        int64
	Inode       uint64
	Device      uint64 // number of the file system, which may be another after the next mount
	Links       uint64
	Modified    entry.Time
	Accessed    entry.Time
	Changed     entry.Time
	Born        entry.Time // when it was made; zero where that is not known
	Rdev        uint64
	// Mount tells mounts apart: also two of one file system. Where the system
	// gives mounts no number, it is that of the file system.
	Mount uint64
	// MountRoot tells that something is mounted on it.
	MountRoot bool
	// Fixed tells that a flag keeps it from being altered, renamed or removed, as far as
	// the system says so here.
	Fixed bool
}

func (c *Calls) call(name, on string, call func() error) error {
	if err := c.before(name, on); err != nil {
		return err
	}
	_, err := posix.Retry(func() (int, error) { return 0, call() })
	return err
}

func (c *Calls) get(name, on string, call func() (int, error)) (int, error) {
	if err := c.before(name, on); err != nil {
		return -1, err
	}
	return posix.Retry(call)
}

// Root opens the root folder.
func (c *Calls) Root() (int, error) {
	return c.get("Root", "/", func() (int, error) { return unix.Open("/", folderFlags, 0) })
}

// OpenFolder opens a folder, only to look for names in it where the system knows
// that: it takes no right to read it.
func (c *Calls) OpenFolder(at int, name string) (int, error) {
	return c.get("OpenFolder", name, func() (int, error) { return unix.Openat(at, name, folderFlags|unix.O_NOFOLLOW, 0) })
}

// ReadFolder opens a folder and returns the names in it, in the order in which
// the system has them. Its access time is left alone where that can be.
func (c *Calls) ReadFolder(at int, name string) (names []string, fd int, err error) {
	const flags = unix.O_RDONLY | unix.O_DIRECTORY | unix.O_NOFOLLOW | unix.O_CLOEXEC | unix.O_NONBLOCK
	if fd, err = c.get("ReadFolder", name, func() (int, error) { return openQuietly(at, name, flags) }); err != nil {
		return nil, -1, err
	}
	if names, err = namesIn(fd); err != nil {
		unix.Close(fd)
		return nil, -1, err
	}
	return names, fd, nil
}

// namesIn returns the names in an open folder.
func namesIn(fd int) (names []string, err error) {
	buf := make([]byte, 32<<10)
	for {
		n, err := posix.Retry(func() (int, error) { return unix.ReadDirent(fd, buf) })
		if err != nil || n <= 0 {
			return names, err
		}
		for rest := buf[:n]; len(rest) > 0; {
			used, _, more := unix.ParseDirent(rest, -1, names)
			rest, names = rest[used:], more
			if used == 0 {
				break
			}
		}
	}
}

// OpenFile opens a file for reading; it would not wait for a pipe that takes its
// place.
func (c *Calls) OpenFile(at int, name string) (int, error) {
	const flags = unix.O_RDONLY | unix.O_NOFOLLOW | unix.O_CLOEXEC | unix.O_NONBLOCK | unix.O_NOCTTY
	return c.get("OpenFile", name, func() (int, error) { return openQuietly(at, name, flags) })
}

// Hold opens an entry only to ask about it, or to act on it, by its handle, whatever has its name by then. Such a
// handle, with no name, can be given to Status, SetOwner, SetPermissions, SetTimes and the calls for attributes.
func (c *Calls) Hold(at int, name string) (int, error) {
	return c.get("Hold", name, func() (int, error) { return unix.Openat(at, name, holdFlags|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0) })
}

// CreateFile makes a file that was not there, for reading and writing by its owner
// only.
func (c *Calls) CreateFile(at int, name string) (int, error) {
	const flags = unix.O_RDWR | unix.O_CREAT | unix.O_EXCL | unix.O_NOFOLLOW | unix.O_CLOEXEC
	return c.get("CreateFile", name, func() (int, error) { return unix.Openat(at, name, flags, 0o600) })
}

// ErrLocked is returned for a file that another program has locked.
var ErrLocked = errors.New("locked by another program")

// Lock locks an open file until it is closed, for itself alone or together with others,
// against programs that do the same. Where a file system has no locks, it does nothing.
func (c *Calls) Lock(fd int, alone bool) error {
	how := unix.LOCK_SH | unix.LOCK_NB
	if alone {
		how = unix.LOCK_EX | unix.LOCK_NB
	}
	err := c.call("Lock", "", func() error { return unix.Flock(fd, how) })
	switch {
	case errors.Is(err, unix.EWOULDBLOCK):
		return ErrLocked
	case errors.Is(err, unix.EBADF) || errors.Is(err, unix.ENOTSUP) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOLCK) || errors.Is(err, unix.ENOSYS):
		return nil
	}
	return err
}

// Close closes what was opened. Its error does not matter, because Sync has put on disk what must be there.
func (c *Calls) Close(fd int) { unix.Close(fd) }

// Read reads from an open file; at its end it returns io.EOF.
func (c *Calls) Read(fd int, p []byte) (int, error) {
	n, err := c.get("Read", "", func() (int, error) { return unix.Read(fd, p) })
	if n == 0 && err == nil && len(p) > 0 {
		err = io.EOF
	}
	return max(n, 0), err
}

// Write writes all to an open file.
func (c *Calls) Write(fd int, p []byte) (int, error) {
	done := 0
	for done < len(p) {
		n, err := c.get("Write", "", func() (int, error) { return unix.Write(fd, p[done:]) })
		if err != nil {
			return done, err
		}
		done += n
	}
	return done, nil
}

// Seek sets where an open file is read or written next.
func (c *Calls) Seek(fd int, offset int64, whence int) (int64, error) {
	return unix.Seek(fd, offset, whence)
}

// Truncate sets the length of an open file.
func (c *Calls) Truncate(fd int, size int64) error {
	return c.call("Truncate", "", func() error { return unix.Ftruncate(fd, size) })
}

// Sync has what was written to an open file or folder put on the disk.
func (c *Calls) Sync(fd int) error {
	err := c.call("Sync", "", func() error { return unix.Fsync(fd) })
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTSUP) { // some file systems cannot for folders
		return nil
	}
	return err
}

// SyncAll has all that was written to the file system of an open folder put on the
// disk. It returns ErrNotSupported where each file has to be asked for.
func (c *Calls) SyncAll(at int) error {
	fd, err := posix.Retry(func() (int, error) {
		return unix.Openat(at, ".", unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	})
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	return c.call("SyncAll", "", func() error { return syncAll(fd) })
}

// SyncFolder has the names in a folder put on the disk.
func (c *Calls) SyncFolder(at int) error {
	fd, err := posix.Retry(func() (int, error) {
		return unix.Openat(at, ".", unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	})
	if errors.Is(err, unix.EACCES) {
		return nil // it may be written to and not read
	}
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	return c.Sync(fd)
}

// Unlink removes a name that is no folder's.
func (c *Calls) Unlink(at int, name string) error {
	return c.call("Unlink", name, func() error { return unix.Unlinkat(at, name, 0) })
}

// RemoveFolder removes an empty folder.
func (c *Calls) RemoveFolder(at int, name string) error {
	return c.call("RemoveFolder", name, func() error { return unix.Unlinkat(at, name, unix.AT_REMOVEDIR) })
}

// MakeFolder makes a folder, with permissions that the mask of the process limits.
func (c *Calls) MakeFolder(at int, name string, mode uint32) error {
	return c.call("MakeFolder", name, func() error { return unix.Mkdirat(at, name, mode) })
}

// MakeLink makes a symbolic link.
func (c *Calls) MakeLink(target string, at int, name string) error {
	return c.call("MakeLink", name, func() error { return unix.Symlinkat(target, at, name) })
}

// MakeSpecial makes a pipe, a socket or a device that only its owner may open, if
// MakesSpecial says so.
func (c *Calls) MakeSpecial(at int, name string, kind entry.Kind, device uint64) error {
	return c.call("MakeSpecial", name, func() error { return makeSpecial(at, name, kind, device) })
}

// ReadLink returns where a symbolic link leads.
func (c *Calls) ReadLink(at int, name string) (string, error) {
	room := make([]byte, 64<<10)
	n, err := c.get("ReadLink", name, func() (int, error) { return unix.Readlinkat(at, name, room) })
	return string(room[:max(n, 0)]), err
}

// NameAgain gives a file another name (a hard link).
func (c *Calls) NameAgain(fromAt int, from string, toAt int, to string) error {
	return c.call("NameAgain", to, func() error { return unix.Linkat(fromAt, from, toAt, to, 0) })
}

// Rename renames, and never replaces anything: then it fails with EEXIST.
func (c *Calls) Rename(fromAt int, from string, toAt int, to string) error {
	return c.call("Rename", from, func() error { return rename(fromAt, from, toAt, to) })
}

// renameChecked renames if there is nothing of the new name, where the system
// cannot see to that itself.
func renameChecked(fromAt int, from string, toAt int, to string) error {
	var st unix.Stat_t
	if err := unix.Fstatat(toAt, to, &st, unix.AT_SYMLINK_NOFOLLOW); !errors.Is(err, unix.ENOENT) {
		if err == nil {
			err = unix.EEXIST
		}
		return err
	}
	return unix.Renameat(fromAt, from, toAt, to)
}

// Exchange has two names in open folders change what they are names of, at once. It
// returns ErrNotSupported where that cannot be.
func (c *Calls) Exchange(oneAt int, one string, otherAt int, other string) error {
	return c.call("Exchange", one, func() error { return exchange(oneAt, one, otherAt, other) })
}

// Share has two open files share their content on the disk, if the file system can and
// finds that it is the same; else it returns ErrNotSupported, or ErrDiffers. Nothing but
// how much room they take is altered.
func (c *Calls) Share(from, to int, size int64) error {
	return c.call("Share", "", func() error { return share(from, to, size) })
}

// ErrDiffers is returned for what is not the same.
var ErrDiffers = errors.New("the content is not the same")

// SetOwner sets owner and group.
func (c *Calls) SetOwner(at int, name string, uid, gid int) error {
	return c.call("SetOwner", name, func() error { return chown(at, name, uid, gid) })
}

// SetPermissions sets permissions of what is no link.
func (c *Calls) SetPermissions(at int, name string, p entry.Permissions) error {
	return c.call("SetPermissions", name, func() error { return permit(at, name, uint32(p)) })
}

// SetTimes sets when something was last modified and read.
func (c *Calls) SetTimes(at int, name string, modified, accessed entry.Time) error {
	return c.call("SetTimes", name, func() error {
		times := make([]unix.Timespec, 2)
		var err error
		for i, t := range []entry.Time{accessed, modified} {
			if times[i], err = unix.TimeToTimespec(t.Std()); err != nil {
				return err
			}
		}
		return stamp(at, name, times)
	})
}

// Status returns what the system says of a name in an open folder or, for "", of
// what is open itself.
func (c *Calls) Status(at int, name string) (Status, error) {
	if err := c.before("Status", name); err != nil {
		return Status{}, err
	}
	return status(at, name)
}

// Attributes returns the extended attributes of an entry, access lists among them.
// There are none where the system has none.
func (c *Calls) Attributes(at int, name string) (map[string]string, error) {
	if err := c.before("Attributes", name); err != nil {
		return nil, err
	}
	return attributes(at, name)
}

// SetAttribute sets an extended attribute.
func (c *Calls) SetAttribute(at int, name, key, value string) error {
	return c.call("SetAttribute", name, func() error { return setAttribute(at, name, key, value) })
}

// DropAttribute removes an extended attribute, if it is there.
func (c *Calls) DropAttribute(at int, name, key string) error {
	return c.call("DropAttribute", name, func() error { return dropAttribute(at, name, key) })
}

// Flags returns the flags of a file or folder that is open for reading: as Linux has them
// for FS_IOC_GETFLAGS, those that people can set. It returns ErrNotSupported where there
// are none.
func (c *Calls) Flags(fd int) (flags uint32, err error) {
	err = c.call("Flags", "", func() error { flags, err = flagsOf(fd); return err })
	return flags, err
}

// SetFlags sets them.
func (c *Calls) SetFlags(fd int, flags uint32) error {
	return c.call("SetFlags", "", func() error { return setFlags(fd, flags) })
}

// Hides reports whether a flag of the system hides an open file or folder. It returns ErrNotSupported where there is
// none.
func (c *Calls) Hides(fd int) (is bool, err error) {
	err = c.call("Hides", "", func() error { is, err = hides(fd); return err })
	return is, err
}

// SetHides sets that flag, or takes it away.
func (c *Calls) SetHides(fd int, on bool) error {
	return c.call("SetHides", "", func() error { return setHides(fd, on) })
}

// Volume returns what is known of the file system of an open folder.
func (c *Calls) Volume(at int) (volume.Volume, error) {
	if err := c.before("Volume", ""); err != nil {
		return volume.Volume{}, err
	}
	return volume.Of(at)
}

// MayRead returns an error unless a file may be read.
func (c *Calls) MayRead(at int, name string) error {
	return c.call("MayRead", name, func() error { return unix.Faccessat(at, name, unix.R_OK, unix.AT_EACCESS) })
}

// MayWrite returns an error unless names may be made and removed in an open folder.
func (c *Calls) MayWrite(at int) error {
	return c.call("MayWrite", "", func() error { return unix.Faccessat(at, ".", unix.W_OK|unix.X_OK, unix.AT_EACCESS) })
}
