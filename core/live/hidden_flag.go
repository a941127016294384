//go:build darwin || freebsd

package live

// hiddenFlag is UF_HIDDEN.
const hiddenFlag = 0x8000

func (s *status) flaggedHidden() bool { return uint32(s.st.Flags)&hiddenFlag != 0 }
