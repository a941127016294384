//go:build !darwin && !freebsd

package entry

// HiddenFlag tells that this system has no flag that hides: a name that starts
// with a dot is all there is.
const HiddenFlag = false

const hiddenNeeds Facts = 0
