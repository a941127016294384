package plans

import (
	"errors"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Why a spare is not cleared: what was to stay of it is not there as it was.
var (
	ErrNoKeeper = errors.New("what was to stay no longer exists")
	ErrKeeper   = errors.New("what was to stay has changed")
	ErrSameFile = errors.New("it is another name of the file that stays; removing it frees nothing")
)

// Check returns an error unless what is there is what was to stay, and another one than
// the spare, of which it tells inode and device.
func (k *Keeper) Check(st *sys.Status, kind string, inode, device uint64) error {
	switch {
	case st.Inode == inode && st.Device == device:
		return ErrSameFile
	case st.Inode != k.Inode || st.Kind.String() != kind:
		return ErrKeeper
	case st.Kind == entry.KindFile && (st.Size != k.Size || st.Modified != entry.Time(k.Modified) || st.Changed != entry.Time(k.Changed)):
		return ErrKeeper
	}
	return nil
}
