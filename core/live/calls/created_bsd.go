//go:build darwin || freebsd || netbsd

package calls

import (
	"frankledger/core/entry"
	"frankledger/core/posix"
)

// Created returns when it was made.
func (s *Status) Created() (entry.Time, bool) { return posix.TimeOf(s.st.Btim), true }
