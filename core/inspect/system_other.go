//go:build unix && !linux && !darwin && !freebsd

package inspect

// diskOf does not know on these systems.
func diskOf(string) Disk { return Disk{} }

// attributes does not know on these systems.
func attributes(string) (names []string, accessList bool) { return nil, false }
