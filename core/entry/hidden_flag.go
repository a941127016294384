//go:build darwin || freebsd

package entry

// HiddenFlag says that this system has a flag that hides files, besides names that start with a dot. It comes with
// the status.
const HiddenFlag = true

const hiddenNeeds = FactStatus
