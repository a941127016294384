//go:build unix && !linux && !darwin && !freebsd

package calls

import (
	"errors"

	"frankledger/core/entry"
)

// ReadXattrs gets the names of the extended attributes of an entry, and reads access lists and capabilities.
func ReadXattrs(int, string, *entry.Details) error { return errors.ErrUnsupported }

// ReadFlags gets the flags of an entry.
func ReadFlags(int, string, *entry.Details) error { return errors.ErrUnsupported }

// Mounts would be what is known of mounts.
type Mounts struct{}

// Of finds the file system that an entry is on, and where it is mounted.
func (*Mounts) Of(int, string, *entry.Entry, *entry.Details) error { return errors.ErrUnsupported }
