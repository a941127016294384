package act_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
)

// Whatever call fails, and wherever the program is killed, there and in its undo: what was created is undone, or is
// told of.
func TestCreateFails(t *testing.T) {
	t.Parallel()
	names := func(root string) (all []string) {
		require.NoError(t, filepath.WalkDir(root, func(path string, _ os.DirEntry, err error) error {
			all = append(all, path)
			return err
		}))
		return all
	}
	for kind := range 4 { // fails and is killed, when it is made and when it is undone
		for call, more := 1, true; more; call++ {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			write(t, filepath.Join(root, "there"), "stays")
			before := names(root)
			c := carrier(folder)
			calls, on := 0, kind < 2
			c.Calls = &sys.Calls{Before: func(sys.Call) error {
				if !on {
					return nil
				}
				if calls++; calls != call {
					return nil
				}
				if kind%2 == 1 {
					panic(errKilled)
				}
				return unix.EIO
			}}
			plan, err := act.PlanCreating(context.Background(), &doing.Planner{Action: plans.Create, Host: "h", Mask: 0o022}, []string{root + "/new/", root + "/new/a", root + "/b"})
			require.NoError(t, err)
			require.Zero(t, plan.Totals().Refused)
			says := fmt.Sprint(kind, " ", call)
			var result doing.Result
			killed := killedOnce(t, c, func() { result, _ = act.CarryOut(context.Background(), c, plan) })
			more = kind < 2 && (killed || calls >= call)
			if result.Done == len(plan.Steps) {
				require.Len(t, names(root), len(before)+3, says)
			}
			if past, err := c.Journals.Read(1); err != nil || past == nil {
				require.Equal(t, before, names(root), says)
				continue
			}
			if on = kind >= 2; on {
				killed := killedOnce(t, c, func() { act.Undo(context.Background(), c, 1, "h") })
				more = killed || calls >= call
				on = false
			}
			if past, err := c.Journals.Read(1); assert.NoError(t, err) && !past.Undone {
				_, err := act.Undo(context.Background(), c, 1, "h")
				require.NoError(t, err, says)
			}
			require.Equal(t, before, names(root), says)
		}
	}
}
