package act_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/internal/long"
)

// bind mounts a folder, or a file, on another one of the same file system.
func bind(t *testing.T, from, on string) {
	if err := unix.Mount(from, on, "", unix.MS_BIND, ""); err != nil {
		t.Skip("nothing can be mounted:", err)
	}
	t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
}

// What is mounted inside a folder, be it another file system, a folder of the same
// one, or a file, is neither removed nor copied with it: the plan refuses, and so
// does the step if it has come since.
func TestMountsInside(t *testing.T) {
	other := otherDisk(t)
	for _, kind := range []string{"disk", "bind", "file"} {
		for _, late := range []bool{false, true} {
			for name, o := range map[string]struct {
				action plans.Action
				plans.Options
			}{
				"for good": {plans.Remove, plans.Options{ForGood: true}}, "trash": {plans.Remove, plans.Options{}},
				"other disk": {plans.Move, plans.Options{Into: exact.Text(other)}}, "same disk": {plans.Move, plans.Options{}},
			} {
				t.Run(fmt.Sprint(kind, " ", name, " late ", late), func(t *testing.T) {
					folder := t.TempDir()
					root, precious := filepath.Join(folder, "tree"), filepath.Join(folder, "precious")
					write(t, filepath.Join(root, "top/a/b/mine"), "mine")
					write(t, filepath.Join(root, "top/a/z"), "z")
					write(t, filepath.Join(precious, "keep"), "precious")
					at := filepath.Join(root, "top/a/mnt")
					if kind == "file" {
						write(t, at, "below")
					} else {
						require.NoError(t, os.Mkdir(at, 0o755))
					}
					mount := func() {
						switch kind {
						case "disk":
							smallDisk(t, at, "100k")
							write(t, filepath.Join(at, "keep"), "precious")
						case "bind":
							bind(t, precious, at)
						case "file":
							bind(t, filepath.Join(precious, "keep"), at)
						}
					}
					if o.Into == "" && o.action == plans.Move {
						o.Into = exact.Text(filepath.Join(folder, "into"))
					}
					if !late {
						mount()
					}
					c := carrier(folder)
					plan := planOf(t, c, root, o.action, o.Options, named("top"))
					require.Len(t, plan.Steps, 1)
					if !late {
						assert.Equal(t, "another file system is mounted in it: a/mnt", string(plan.Steps[0].Refused))
						plan.Steps[0].Refused = "" // as if it were not known
					} else {
						require.Empty(t, plan.Steps[0].Refused)
						mount()
					}
					result, wrong := carry(t, c, plan)
					assert.Equal(t, 1, result.Failed)
					assert.Contains(t, wrong["top"], "mounted in it")
					if kind == "file" {
						at = precious
					}
					content, err := os.ReadFile(filepath.Join(at, "keep"))
					require.NoError(t, err)
					assert.Equal(t, "precious", string(content))
					assert.FileExists(t, filepath.Join(root, "top/a/z"))
					assert.FileExists(t, filepath.Join(root, "top/a/b/mine"))
					left, err := os.ReadDir(other)
					require.NoError(t, err)
					assert.Empty(t, left)
				})
			}
		}
	}
}

// A mount that is named itself, with Really, is emptied, and nothing beside it; the
// folder that it is mounted on stays. What was mounted only after the plan is not.
func TestMountNamed(t *testing.T) {
	folder := t.TempDir()
	disk := filepath.Join(folder, "disk")
	require.NoError(t, os.Mkdir(disk, 0o755))
	plan := func() *plans.Plan {
		planner := &doing.Planner{Action: plans.Remove, Host: "h", Options: plans.Options{ForGood: true, Really: true}}
		p, err := act.MakePlan(context.Background(), planner, foundSelf(t, disk))
		require.NoError(t, err)
		require.Len(t, p.Steps, 1)
		return p
	}
	before := plan()
	smallDisk(t, disk, "100k")
	write(t, filepath.Join(disk, "a/b"), "b")
	c := carrier(folder)
	_, wrong := carry(t, c, before)
	assert.NotEmpty(t, wrong["disk"])
	assert.FileExists(t, filepath.Join(disk, "a/b"))
	p := plan()
	assert.Contains(t, act.Does(p, p.Steps[0]), "the folder stays, because a file system is mounted on it")
	result, wrong := carry(t, c, p)
	assert.Empty(t, wrong)
	assert.Equal(t, 1, result.Done)
	assert.False(t, result.Undoable)
	left, err := os.ReadDir(disk)
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.NotContains(t, string(planOf(t, c, folder, plans.Hide, plans.Options{}, named("disk")).Steps[0].To), "disk")
}

// A folder holds what it held only if nothing in it has changed in any way that the
// kernel tells, whatever times there are.
func TestHoldsWhatItHeld(t *testing.T) {
	for name, change := range map[string]func(t *testing.T, in string){
		"content behind the clock's back": func(t *testing.T, in string) {
			info, err := os.Stat(in + "/a")
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(in+"/a", []byte("B"), 0o644))
			require.NoError(t, os.Chtimes(in+"/a", info.ModTime(), info.ModTime()))
		},
		"two files swapped": func(t *testing.T, in string) {
			require.NoError(t, unix.Renameat2(unix.AT_FDCWD, in+"/a", unix.AT_FDCWD, in+"/b", unix.RENAME_EXCHANGE))
		},
		"a name": func(t *testing.T, in string) { require.NoError(t, os.Rename(in+"/a", in+"/c")) },
		"a link for a folder": func(t *testing.T, in string) {
			require.NoError(t, os.Rename(in+"/deep", in+"/../../away"))
			require.NoError(t, os.Symlink("../../away", in+"/deep"))
		},
		"permissions": func(t *testing.T, in string) { require.NoError(t, os.Chmod(in+"/deep/d", 0o600)) },
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			for _, file := range []string{"a", "b", "deep/d", "future"} {
				write(t, filepath.Join(root, "in", file), "A")
			}
			far := unix.Timespec{Sec: 4_000_000_000}
			require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, filepath.Join(root, "in/future"), []unix.Timespec{far, far}, 0))
			c := carrier(folder)
			plan := planOf(t, c, root, plans.Remove, plans.Options{ForGood: true}, named("in"))
			require.Empty(t, plan.Steps[0].Refused)
			change(t, filepath.Join(root, "in"))
			result, wrong := carry(t, c, plan)
			assert.Equal(t, 1, result.Failed)
			assert.Equal(t, "it has changed since the plan was made", wrong["in"])
			assert.FileExists(t, filepath.Join(root, "in/future"))
		})
	}
}

// Folders in one another, far deeper than files may be open, are acted on, by every
// action, and taken back.
func TestDeepLong(t *testing.T) {
	long.Test(t)
	var limit unix.Rlimit
	require.NoError(t, unix.Getrlimit(unix.RLIMIT_NOFILE, &limit))
	other := otherDisk(t)
	for _, action := range []plans.Action{plans.Hide, plans.Permit, plans.Stamp, plans.Move, plans.Remove, "across", "for good"} {
		t.Run(string(action), func(t *testing.T) {
			const levels = 700
			folder := t.TempDir()
			at, err := unix.Open(folder, unix.O_DIRECTORY, 0)
			require.NoError(t, err)
			for range levels {
				require.NoError(t, unix.Mkdirat(at, "deep folder", 0o755))
				next, err := unix.Openat(at, "deep folder", unix.O_DIRECTORY, 0)
				require.NoError(t, err)
				unix.Close(at)
				at = next
			}
			file, err := unix.Openat(at, "end", unix.O_CREAT|unix.O_WRONLY, 0o644)
			require.NoError(t, err)
			unix.Close(file)
			unix.Close(at)
			c := carrier(t.TempDir())
			o := plans.Options{Mode: "0700", Modified: &exact.Time{Sec: 1_000_000_000}, Into: exact.Text(filepath.Join(c.Journals.Folder, "../into"))}
			chosen, want := func(e *entry.Entry) bool { return e.Kind == entry.KindFolder }, levels
			switch action {
			case plans.Move, plans.Remove, plans.Hide:
				chosen, want = func(e *entry.Entry) bool { return e.Depth() == 1 }, 1
			case "across":
				action, chosen, want, o.Into = plans.Move, func(e *entry.Entry) bool { return e.Depth() == 1 }, 1, exact.Text(other)
			case "for good":
				action, chosen, want, o.ForGood = plans.Remove, func(e *entry.Entry) bool { return e.Depth() == 1 }, 1, true
			}
			open, err := os.ReadDir("/proc/self/fd") // by other tests, some of which are killed
			require.NoError(t, err)
			require.NoError(t, unix.Setrlimit(unix.RLIMIT_NOFILE, &unix.Rlimit{Cur: 60 + uint64(len(open)), Max: limit.Max}))
			defer unix.Setrlimit(unix.RLIMIT_NOFILE, &limit)
			plan := planOf(t, c, folder, action, o, chosen)
			result, wrong := carry(t, c, plan)
			require.Empty(t, wrong)
			assert.Equal(t, want, result.Done)
			if !o.ForGood {
				undone, err := act.Undo(context.Background(), c, result.Journal, "h")
				require.NoError(t, err)
				assert.Equal(t, act.UndoResult{Undone: want}, undone)
			}
			assert.Equal(t, !o.ForGood, len(found(t, folder, named("end"))) == 1)
		})
	}
}

// Names that are as long as can be go into the trash and back, and none is planned
// that is longer.
func TestLongNames(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	names := []string{strings.Repeat("n", 255), strings.Repeat("m", 246) + ".txt", strings.Repeat("é", 123) + ".tar.gz", "x." + strings.Repeat("e", 250)}
	for _, name := range names {
		write(t, filepath.Join(root, "a", name), name)
		write(t, filepath.Join(root, "b", name), name)
	}
	before := state(t, root)
	c := carrier(folder)
	file := func(e *entry.Entry) bool { return e.Kind == entry.KindFile }
	result, wrong := carry(t, c, planOf(t, c, root, plans.Remove, plans.Options{}, file))
	require.Empty(t, wrong)
	assert.Equal(t, 8, result.Done)
	infos, err := os.ReadDir(filepath.Join(folder, "trash/info"))
	require.NoError(t, err)
	assert.Len(t, infos, 8)
	undone, err := act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 8}, undone)
	assert.Equal(t, before, state(t, root))
	for _, action := range []plans.Action{plans.Hide, plans.Move} {
		plan := planOf(t, c, root, action, plans.Options{Number: true, Into: exact.Text(filepath.Join(root, "a"))}, func(e *entry.Entry) bool { return len(e.Name) == 255 && e.Folder.Name == "b" })
		require.Len(t, plan.Steps, 1)
		assert.Equal(t, "its name would be too long", string(plan.Steps[0].Refused))
	}
}
