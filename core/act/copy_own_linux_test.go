package act_test

import (
	"context"
	"encoding/binary"
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
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// whole makes a tree of everything that a copy is to keep.
func whole(t *testing.T, root string) {
	write(t, filepath.Join(root, "f/a"), "content a")
	write(t, filepath.Join(root, "f/in/b"), "content b")
	require.NoError(t, os.Link(filepath.Join(root, "f/a"), filepath.Join(root, "f/in/again")))
	require.NoError(t, os.Symlink("a", filepath.Join(root, "f/link")))
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "f/pipe"), 0o640))
	require.NoError(t, unix.Setxattr(filepath.Join(root, "f/a"), "user.note", []byte("mine"), 0))
	require.NoError(t, os.Chmod(filepath.Join(root, "f/in"), 0o2750))
	require.NoError(t, os.Chmod(filepath.Join(root, "f/in/b"), 0o4711))
	for i, name := range []string{"f/a", "f/in/b", "f/pipe", "f/in", "f"} {
		moment := unix.Timespec{Sec: 1_500_000_000 + int64(i), Nsec: 123}
		require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, filepath.Join(root, name), []unix.Timespec{moment, moment}, unix.AT_SYMLINK_NOFOLLOW))
	}
}

// A copy has all that the original has, which stays as it is; undo takes it away, unless
// anything of it was altered; and whatever fails, or when it is killed, nothing half done
// is left.
func TestCopy(t *testing.T) {
	other := otherDisk(t)
	for kind := range 3 {
		for call, more := 1, true; more; call += 1 + kind {
			folder := t.TempDir()
			root, into := filepath.Join(folder, "tree"), filepath.Join(folder, "into")
			if call%2 == 0 {
				into = filepath.Join(other, fmt.Sprint(kind, call))
			}
			whole(t, root)
			before := state(t, root)
			c := carrier(folder)
			c.Calls = &sys.Calls{}
			plan := planOf(t, c, root, plans.Copy, plans.Options{Into: exact.Text(into)}, func(e *entry.Entry) bool { return e.Depth() == 1 })
			require.Len(t, plan.Steps, 1)
			require.Empty(t, plan.Steps[0].Refused)
			require.Empty(t, plan.Steps[0].Notes)
			calls := 0
			if kind > 0 {
				c.Calls.Before = func(sys.Call) error {
					if calls++; calls != call {
						return nil
					}
					if kind == 2 {
						panic(errKilled)
					}
					return unix.ENOSPC
				}
			}
			says := fmt.Sprint(kind, " ", call)
			var result doing.Result
			notes := ""
			c.Tell = func(o doing.Outcome) { notes = o.Notes }
			killed := (&torture{T: t}).killable(c, func() { result, _ = act.CarryOut(context.Background(), c, plan) })
			c.Tell = nil
			more = kind > 0 && (killed || calls >= call)
			require.Equal(t, before, state(t, root), says)
			if result.Done == 1 {
				require.Equal(t, before["/f"], state(t, into)["/f"], says)
				for path, what := range before {
					if path != "" {
						require.Equal(t, what, state(t, into)[path], says)
					}
				}
				var one, again unix.Stat_t
				require.NoError(t, unix.Stat(filepath.Join(into, "f/a"), &one))
				require.NoError(t, unix.Stat(filepath.Join(into, "f/in/again"), &again))
				require.Equal(t, one.Ino != again.Ino, notes == "could not keep hard links of 1", "one file of two names")
				note := make([]byte, 9)
				n, err := unix.Getxattr(filepath.Join(into, "f/a"), "user.note", note)
				require.NoError(t, err)
				require.Equal(t, "mine", string(note[:n]))
			} else if !killed && result.Partly == 0 {
				require.NoDirExists(t, into, says)
			}
			if past, err := c.Journals.Read(1); err != nil || past == nil {
				continue
			}
			if kind == 0 {
				write(t, filepath.Join(into, "f/in/more"), "more")
				undone, err := act.Undo(context.Background(), c, 1, "h")
				require.NoError(t, err)
				require.Equal(t, act.UndoResult{Stays: 1}, undone)
				require.NoError(t, os.Remove(filepath.Join(into, "f/in/more")))
				moment := unix.Timespec{Sec: 1_500_000_003, Nsec: 123}
				require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, filepath.Join(into, "f/in"), []unix.Timespec{moment, moment}, 0))
				require.DirExists(t, filepath.Join(into, "f"))
				continue
			}
			undone, err := act.Undo(context.Background(), c, 1, "h")
			if result.Partly == 0 {
				require.NoError(t, err, says)
				require.Zero(t, undone.Stays, says)
				require.NoDirExists(t, into, says)
			}
			require.Equal(t, before, state(t, root), says)
		}
	}
}

// Names of one file are one file when they are copied by several steps, and undo takes all
// of them away; but none that was altered since.
func TestCopyNames(t *testing.T) {
	for _, altered := range []bool{false, true} {
		folder := t.TempDir()
		root, into := filepath.Join(folder, "tree"), filepath.Join(folder, "into")
		write(t, filepath.Join(root, "a"), "content")
		require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "b")))
		c := carrier(folder)
		plan := planOf(t, c, root, plans.Copy, plans.Options{Into: exact.Text(into)}, func(*entry.Entry) bool { return true })
		result, wrong := carry(t, c, plan)
		require.Empty(t, wrong)
		require.Equal(t, 2, result.Done)
		if altered {
			require.NoError(t, os.WriteFile(filepath.Join(into, "a"), []byte("altered"), 0o644))
		}
		undone, err := act.Undo(context.Background(), c, result.Journal, "h")
		require.NoError(t, err)
		if altered {
			assert.Equal(t, act.UndoResult{Stays: 2}, undone)
			content, err := os.ReadFile(filepath.Join(into, "b"))
			require.NoError(t, err)
			assert.Equal(t, "altered", string(content))
			continue
		}
		assert.Equal(t, act.UndoResult{Undone: 2}, undone)
		assert.NoDirExists(t, into)
	}
}

// Things get another owner and back; what the system takes away for that comes back too.
func TestOwn(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("only an administrator gives things away")
	}
	capability := make([]byte, 20) // as Linux keeps it: version 2, to bind low ports
	binary.LittleEndian.PutUint32(capability, 0x02000001)
	binary.LittleEndian.PutUint32(capability[4:], 1<<10)
	of := func(root string) map[string]string {
		all := state(t, root)
		for path := range all {
			room := make([]byte, 99)
			if n, err := unix.Lgetxattr(root+path, "security.capability", room); err == nil {
				all[path] += fmt.Sprintf(" %x", room[:n])
			}
		}
		return all
	}
	for kind := range 3 {
		for call, more := 1, true; more; call++ {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			whole(t, root)
			write(t, filepath.Join(root, "f/program"), "x")
			require.NoError(t, os.Chmod(filepath.Join(root, "f/program"), 0o755))
			require.NoError(t, unix.Setxattr(filepath.Join(root, "f/program"), "security.capability", capability, 0))
			before := of(root)
			c := carrier(folder)
			c.Calls = &sys.Calls{}
			plan := planOf(t, c, root, plans.Own, plans.Options{Owner: "48230:48231"}, func(*entry.Entry) bool { return true })
			require.Zero(t, plan.Totals().Refused)
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
			killed := (&torture{T: t}).killable(c, func() { result, _ = act.CarryOut(context.Background(), c, plan) })
			more = kind > 0 && (killed || calls >= call)
			if result.Done == len(plan.Steps) {
				require.NoError(t, filepath.WalkDir(root, func(path string, _ os.DirEntry, _ error) error {
					var st unix.Stat_t
					require.NoError(t, unix.Lstat(path, &st))
					require.True(t, path == root || st.Uid == 48230 && st.Gid == 48231, path)
					return nil
				}))
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
	root := t.TempDir()
	write(t, filepath.Join(root, "a"), "a")
	c := carrier(t.TempDir())
	assert.Equal(t, 1, planOf(t, c, root, plans.Own, plans.Options{Owner: "-1:0"}, func(*entry.Entry) bool { return true }).Same, "it has that group already")
}

// What the other disk cannot keep is in the plan; with Strict, that is a reason not to.
func TestStrict(t *testing.T) {
	disk := withoutLists(t)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "plain"), "plain")
	write(t, filepath.Join(root, "noted/in"), "noted")
	require.NoError(t, unix.Setxattr(filepath.Join(root, "noted/in"), "user.note", []byte("mine"), 0))
	c := carrier(folder)
	for _, action := range []plans.Action{plans.Copy, plans.Move} {
		for _, strict := range []bool{false, true} {
			plan := planOf(t, c, root, action, plans.Options{Into: exact.Text(disk), Strict: strict}, func(e *entry.Entry) bool { return e.Depth() == 1 })
			require.Len(t, plan.Steps, 2)
			for _, s := range plan.Steps {
				told := string(s.Notes)
				if strict {
					told = string(s.Refused)
				}
				if filepath.Base(string(s.Path)) == "plain" {
					assert.Empty(t, string(s.Notes+s.Refused))
				} else {
					assert.Equal(t, "extended attributes would be lost there (1)", told, "%s %v", action, strict)
				}
			}
		}
	}
}
