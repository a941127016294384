//go:build unix && !darwin && !freebsd && !netbsd && (!linux || portable)

package calls

import "frankledger/core/entry"

// Created says that this system does not tell when it was made.
func (s *Status) Created() (entry.Time, bool) { return entry.Time{}, false }
