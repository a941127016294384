//go:build unix && !linux && !darwin && !freebsd

package live

import (
	"errors"

	"frankledger/core/entry"
)

func readXattrs(int, string, *entry.Details) error { return errors.ErrUnsupported }

func readFlags(int, string, *entry.Details) error { return errors.ErrUnsupported }

type mounts struct{}

func (*mounts) of(int, string, *entry.Entry, *entry.Details) error { return errors.ErrUnsupported }
