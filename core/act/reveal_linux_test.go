package act_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Where the system hides files by a flag, that is taken away and given back, whatever call fails and wherever the program
// is killed. A flag of Linux stands in for it.
func TestRevealByFlag(t *testing.T) {
	const noDump = 0x40 // FS_NODUMP_FL
	sys.HidingFlag = noDump
	defer func() { sys.HidingFlag = 0 }()
	flag := func(path string, set bool) (is bool) {
		fd, err := unix.Open(path, unix.O_RDONLY, 0)
		require.NoError(t, err)
		defer unix.Close(fd)
		flags, err := unix.IoctlGetUint32(fd, unix.FS_IOC_GETFLAGS)
		if err != nil {
			t.Skip("this file system has no flags: ", err)
		}
		if set {
			require.NoError(t, unix.IoctlSetPointerInt(fd, unix.FS_IOC_SETFLAGS, int(flags|noDump)))
		}
		return flags&noDump != 0
	}
	of := func(root string) map[string]bool {
		all := map[string]bool{}
		require.NoError(t, filepath.WalkDir(root, func(path string, _ os.DirEntry, err error) error {
			all[strings.TrimPrefix(path, root)] = flag(path, false)
			return err
		}))
		return all
	}
	for kind := range 3 {
		for call, more := 1, true; more; call++ {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			for _, name := range []string{"flagged", ".both", ".dot", "plain"} {
				write(t, filepath.Join(root, name), name)
			}
			flag(filepath.Join(root, "flagged"), true)
			flag(filepath.Join(root, ".both"), true)
			before := of(root)
			c := carrier(folder)
			c.Calls = &sys.Calls{}
			plan := planOf(t, c, root, plans.Reveal, plans.Options{}, func(e *entry.Entry) bool {
				if e.Name == "flagged" || e.Name == ".both" { // as the reader of other systems marks them
					e.Marks |= entry.MarkFlaggedHidden
				}
				return true
			})
			require.Equal(t, []int{3, 0, 1}, []int{len(plan.Steps), plan.Totals().Refused, plan.Same})
			calls := 0
			if kind > 0 {
				c.Calls.Before = func(sys.Call) error {
					if calls++; calls != call {
						return nil
					}
					if kind == 2 {
						panic(errKilled)
					}
					return unix.EIO
				}
			}
			says := fmt.Sprint(kind, " ", call)
			var result doing.Result
			killed := killedOnce(t, c, func() { result, _ = act.CarryOut(context.Background(), c, plan) })
			more = kind > 0 && (killed || calls >= call)
			if result.Done == len(plan.Steps) {
				require.Equal(t, map[string]bool{"": false, "/flagged": false, "/both": false, "/dot": false, "/plain": false}, of(root), says)
			}
			if past, err := c.Journals.Read(1); err != nil || past == nil {
				require.Equal(t, before, of(root), says)
				continue
			}
			undone, err := act.Undo(context.Background(), c, 1, "h")
			require.NoError(t, err, says)
			require.Zero(t, undone.Stays, says)
			require.Equal(t, before, of(root), says)
		}
	}
}
