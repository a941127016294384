//go:build !darwin && !freebsd

package live

func (s *status) flaggedHidden() bool { return false }
