//go:build !darwin && !freebsd

package entry

// HiddenFlag says that this system has no flag that hides files, only names that start with a dot.
const HiddenFlag = false

const hiddenNeeds Facts = 0
