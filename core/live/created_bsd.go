//go:build darwin || freebsd || netbsd

package live

import (
	"frankledger/core/entry"
	"frankledger/core/posix"
)

// created returns when it was made.
func (s *status) created() (entry.Time, bool) { return posix.TimeOf(s.st.Btim), true }
