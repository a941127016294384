package recording

import (
	"frankledger/core/entry"
	"frankledger/core/ledger"
)

// stampOf returns by what a folder is known again, with what was in it: its inode, its file
// system, and when it was modified and its details changed. It is neither 0 nor neverAgain.
func stampOf(e *entry.Entry) (stamp uint64) {
	for _, n := range [...]uint64{e.Inode, e.Device, uint64(e.Modified.Sec), uint64(e.Modified.Nsec), uint64(e.Changed.Sec), uint64(e.Changed.Nsec)} {
		stamp = (stamp ^ n) * 0x9e3779b97f4a7c15
		stamp ^= stamp >> 32
	}
	return max(stamp, neverAgain+1)
}

// neverAgain is the stamp of a folder that is there, and is to be read in any case.
const neverAgain = 1

// canStamp reports whether all folders in one that was recorded on these terms were gone into,
// but for those in trouble.
func canStamp(t ledger.Terms) bool { return t.Whole() && len(t.Skip) == 0 && !t.SameDisk }
