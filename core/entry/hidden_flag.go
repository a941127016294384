//go:build darwin || freebsd

package entry

// HiddenFlag tells that this system has a flag that hides, beside the dot that
// a name may start with. It comes with the status.
const HiddenFlag = true

const hiddenNeeds = FactStatus
