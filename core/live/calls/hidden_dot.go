//go:build !darwin && !freebsd

package calls

// FlaggedHidden reports whether a flag of the system hides it.
func (s *Status) FlaggedHidden() bool { return false }
