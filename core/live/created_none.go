//go:build unix && !darwin && !freebsd && !netbsd && (!linux || portable)

package live

import "frankledger/core/entry"

// created says that this system does not tell when it was made.
func (s *status) created() (entry.Time, bool) { return entry.Time{}, false }
