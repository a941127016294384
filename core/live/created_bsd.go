//go:build darwin || freebsd || netbsd

package live

import "frankledger/core/entry"

// created returns when it was made.
func (s *status) created() (entry.Time, bool) { return timeOf(s.st.Btim), true }
