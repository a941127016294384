package tree

import (
	"errors"
	"os"
	"slices"
	"sync"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/volume"
)

// Target is what can be kept on another file system that entries are moved to.
type Target struct {
	Lists, Attributes, Links, Flags bool
	Volume                          volume.Volume
}

// FlagsKept reports whether flags can be kept in an open folder.
func FlagsKept(calls *sys.Calls, at int) (bool, error) {
	fd, err := calls.OpenFile(at, ".")
	if errors.Is(err, unix.EACCES) {
		return true, nil // it may be written to and not read
	}
	if err != nil {
		return false, err
	}
	defer calls.Close(fd)
	_, err = calls.Flags(fd)
	return err == nil, IgnoreNone(err)
}

// groups are those that this process may give files to.
var groups = sync.OnceValue(func() []int {
	list, _ := os.Getgroups() // none, if they cannot be found out
	return append(list, os.Getegid())
})

// OwnerKept reports whether this process can give a copy the owner and the group of
// an entry.
func OwnerKept(st *sys.Status) bool {
	return os.Geteuid() == 0 || int(st.UID) == os.Geteuid() && slices.Contains(groups(), int(st.GID))
}
