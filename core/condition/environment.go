package condition

import (
	"time"

	"frankledger/core/entry"
)

// Accounts finds names and numbers of users and groups.
type Accounts interface {
	entry.Accounts
	// UserID returns the number of a user name, and whether there is one.
	UserID(name string) (uint32, bool)
	// GroupID returns the number of a group name, and whether there is one.
	GroupID(name string) (uint32, bool)
	// UserNames and GroupNames list the names in the system's own files.
	UserNames() []string
	GroupNames() []string
}

// Environment is what a condition depends on besides the entry.
type Environment struct {
	AsOf      time.Time
	Zone      *time.Location // that calendar days are of
	MatchCase bool
	User      uint32   // who is "me"
	Groups    []uint32 // that "me" is in
	Accounts  Accounts
	Relative  bool // paths are from the place, as if the question were asked in it
}
