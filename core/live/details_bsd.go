//go:build darwin || freebsd

package live

import (
	"errors"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
)

// Attributes, access lists and flags are kept otherwise on these systems, and not told.
func readXattrs(int, string, *entry.Details) error { return errors.ErrUnsupported }

func readFlags(int, string, *entry.Details) error { return errors.ErrUnsupported }

// mounts asks the system each time.
type mounts struct{}

func (*mounts) of(_ int, _ string, e *entry.Entry, d *entry.Details) error {
	var fs unix.Statfs_t
	if err := unix.Statfs(e.Path(), &fs); err != nil {
		return err
	}
	d.Filesystem, d.Mount = unix.ByteSliceToString(fs.Fstypename[:]), unix.ByteSliceToString(fs.Mntonname[:])
	return nil
}
