//go:build darwin || freebsd

package calls

import (
	"errors"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
)

// ReadXattrs returns an error: these systems keep attributes, access lists and flags in another form.
func ReadXattrs(int, string, *entry.Details) error { return errors.ErrUnsupported }

// ReadFlags gets the flags of an entry.
func ReadFlags(int, string, *entry.Details) error { return errors.ErrUnsupported }

// Mounts asks the system each time.
type Mounts struct{}

// Of finds the file system that an entry is on, and where it is mounted.
func (*Mounts) Of(_ int, _ string, e *entry.Entry, d *entry.Details) error {
	var fs unix.Statfs_t
	if err := unix.Statfs(e.Path(), &fs); err != nil {
		return err
	}
	d.Filesystem, d.Mount = unix.ByteSliceToString(fs.Fstypename[:]), unix.ByteSliceToString(fs.Mntonname[:])
	return nil
}
