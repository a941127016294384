//go:build darwin || freebsd

package calls

// hiddenFlag is UF_HIDDEN.
const hiddenFlag = 0x8000

// FlaggedHidden reports whether a flag of the system hides it.
func (s *Status) FlaggedHidden() bool { return uint32(s.st.Flags)&hiddenFlag != 0 }
