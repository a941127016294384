package clear_test

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/trash"
	"frankledger/core/clear"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/live"
	"frankledger/core/source"
)

// put makes files, by what is in them.
func put(t *testing.T, root string, files map[string]string) {
	for name, content := range files {
		path := filepath.Join(root, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(content), 0o644))
		when := unix.Timespec{Sec: 1_700_000_000 + int64(len(name)), Nsec: 5}
		require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, path, []unix.Timespec{when, when}, 0))
	}
}

// copies is a tree with a folder, a copy of it with one file less, and two more files.
var copies = map[string]string{"keep/a": "one", "keep/sub/b": "two two", "keep/more": "more", "spare/a": "one", "spare/sub/b": "two two", "z/1": "three", "z/2": "three", "z/3": "three"}

// state is what the kernel says of all files in a folder.
func state(t *testing.T, root string) map[string]string {
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		if d.Type().IsRegular() {
			var st unix.Stat_t
			require.NoError(t, unix.Lstat(path, &st))
			content, err := os.ReadFile(path)
			require.NoError(t, err)
			all[strings.TrimPrefix(path, root+"/")] = fmt.Sprint(st.Mode, st.Uid, st.Mtim, string(content))
		}
		return nil
	}))
	return all
}

func planOf(t *testing.T, o plans.Options, places ...string) *plans.Plan {
	folders := duplicates.WithFolders
	if o.By != plans.ByRemoving {
		folders = duplicates.NoFolders
	}
	return planWith(t, folders, o, places...)
}

func filesOnly(t *testing.T, o plans.Options, places ...string) *plans.Plan {
	return planWith(t, duplicates.NoFolders, o, places...)
}

func planWith(t *testing.T, folders duplicates.Folders, o plans.Options, places ...string) *plans.Plan {
	set := &source.Set{}
	for i, place := range places {
		s, err := live.Open(place, i)
		require.NoError(t, err)
		set.Sources = append(set.Sources, s)
	}
	options := clear.Options{Options: duplicates.Options{Algorithm: entry.Algorithms[0], Folders: folders}}
	folder := filepath.Dir(places[0])
	planned, err := clear.Run(context.Background(), set, source.Request{Depth: source.AllDepths}, digest.NewPool(live.Files{}, &source.Progress{}), options,
		&doing.Planner{Action: plans.Clear, Options: o, Host: "h", Trash: trash.Trash{Home: filepath.Join(folder, "trash"), User: os.Geteuid()}})
	require.NoError(t, err)
	return planned.Plan
}

func carrier(folder string) *doing.Carrier {
	return &doing.Carrier{Journals: journals.Journals{Folder: filepath.Join(folder, "journal")}, Trash: trash.Trash{Home: filepath.Join(folder, "trash"), User: os.Geteuid()}, Calls: &sys.Calls{}, Now: time.Now}
}

var errKilled = errors.New("killed")

// killable does something that may be killed. What stands in for that leaves a journal
// open, and so locked: it is replaced by another file.
func killable(t *testing.T, c *doing.Carrier, do func()) (killed bool) {
	defer func() {
		c.Calls.Before = nil
		if p := recover(); p != nil {
			require.Equal(t, errKilled, p)
			killed = true
			names, _ := filepath.Glob(filepath.Join(c.Journals.Folder, "*.jsonl"))
			for _, name := range names {
				content, err := os.ReadFile(name)
				require.NoError(t, err)
				require.NoError(t, os.Remove(name))
				require.NoError(t, os.WriteFile(name, content, 0o600))
			}
		}
	}()
	do()
	return false
}

// Whichever call of the system fails, or is the last, no content is lost, and undo gives
// everything back; also when it is killed itself.
func TestNothingIsLost(t *testing.T) {
	for _, by := range []plans.By{plans.ByRemoving, plans.ByLinks} {
		for _, kill := range []bool{false, true} {
			for call, more := 1, true; more; call += 2 { // every other: they are many
				folder := t.TempDir()
				root := filepath.Join(folder, "tree")
				put(t, root, copies)
				before := state(t, root)
				plan := planOf(t, plans.Options{By: by}, root)
				require.Equal(t, map[plans.By]int{plans.ByRemoving: 3, plans.ByLinks: 4}[by], plan.Totals().Steps)
				c := carrier(folder)
				at := func(n int) func(sys.Call) error {
					calls := 0
					return func(sys.Call) error {
						if calls++; calls != n {
							return nil
						}
						if kill {
							panic(errKilled)
						}
						return unix.EIO
					}
				}
				says := fmt.Sprint(by, " ", kill, " ", call)
				c.Calls.Before = at(call)
				var result doing.Result
				killed := killable(t, c, func() { result, _ = act.CarryOut(context.Background(), c, plan) })
				more = killed || !kill && (result.Journal == 0 || result.Failed+result.Partly > 0 || result.Done < 3)
				found := map[string]bool{}
				for _, where := range []string{root, filepath.Join(folder, "trash")} {
					if _, err := os.Stat(where); err == nil {
						for _, what := range state(t, where) {
							found[what[strings.LastIndexByte(what, '}')+1:]] = true
						}
					}
				}
				for name, content := range copies {
					require.True(t, found[content], "%s: %s is lost", says, name)
				}
				if numbers, _ := c.Journals.Numbers(); len(numbers) == 0 {
					require.Equal(t, before, state(t, root), says)
					continue
				}
				if past, err := c.Journals.Read(1); err != nil || len(past.Steps) == 0 {
					require.Equal(t, before, state(t, root), says)
					continue
				}
				if kill { // and undo is killed too
					c.Calls.Before = at(call / 2)
					killable(t, c, func() { act.Undo(context.Background(), c, 1, "h") })
				}
				undone, err := act.Undo(context.Background(), c, 1, "h")
				if !errors.Is(err, doing.ErrUndone) {
					require.NoError(t, err, says)
				}
				require.Zero(t, undone.Stays, says)
				require.Equal(t, before, state(t, root), says)
			}
		}
	}
}

// A spare stays where what was to stay is gone, or not what it was, or where the spare is
// not: whatever was done to the one or the other meanwhile.
func TestKeepersAreLookedAt(t *testing.T) {
	again := func(t *testing.T, path, content string) { // with the times it had
		info, err := os.Stat(path)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path, []byte(content), 0o644))
		require.NoError(t, os.Chtimes(path, info.ModTime(), info.ModTime()))
	}
	for name, one := range map[string]struct {
		meddle func(t *testing.T, root string)
		says   string
		done   int
	}{
		"nothing":       {func(*testing.T, string) {}, "", 3},
		"keeper gone":   {func(t *testing.T, root string) { os.Remove(filepath.Join(root, "z/1")) }, "no longer exists", 1},
		"keeper edited": {func(t *testing.T, root string) { again(t, filepath.Join(root, "z/1"), "THREE") }, "has changed", 1},
		"spare edited":  {func(t *testing.T, root string) { again(t, filepath.Join(root, "z/2"), "THREE") }, "has changed", 2},
		"a link in its place": {func(t *testing.T, root string) {
			os.Rename(filepath.Join(root, "z/1"), filepath.Join(root, "aside"))
			os.Symlink("../aside", filepath.Join(root, "z/1"))
		}, "has changed", 1},
		"folder gone":     {func(t *testing.T, root string) { os.RemoveAll(filepath.Join(root, "keep")) }, "no longer exists", 2},
		"file of it gone": {func(t *testing.T, root string) { os.Remove(filepath.Join(root, "keep/sub/b")) }, "no longer exists", 2},
		"file of it edited": {func(t *testing.T, root string) { again(t, filepath.Join(root, "keep/sub/b"), "two TWO") },
			"differs from the file that stays", 2},
		"file added to the spare": {func(t *testing.T, root string) { put(t, root, map[string]string{"spare/sub/c": "new"}) }, "has changed", 2},
		"folder swapped for a link": {func(t *testing.T, root string) {
			os.Rename(filepath.Join(root, "keep"), filepath.Join(root, "aside"))
			os.Symlink("spare", filepath.Join(root, "keep"))
		}, "has changed", 2},
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			put(t, root, copies)
			plan := planOf(t, plans.Options{}, root)
			one.meddle(t, root)
			before := state(t, root)
			c := carrier(folder)
			var says []string
			c.Tell = func(o doing.Outcome) {
				if o.Err != nil {
					says = append(says, o.Err.Error())
				}
			}
			result, err := act.CarryOut(context.Background(), c, plan)
			require.NoError(t, err)
			assert.Equal(t, one.done, result.Done, says)
			assert.Contains(t, strings.Join(says, "; "), one.says)
			_, err = act.Undo(context.Background(), c, 1, "h")
			require.NoError(t, err)
			assert.Equal(t, before, state(t, root))
		})
	}
}

// Two programs that clear each other's keepers at once keep one of each pair.
func TestTwoAtOnce(t *testing.T) {
	for range 20 {
		folder := t.TempDir()
		root := filepath.Join(folder, "tree")
		files := map[string]string{}
		for i := range 30 {
			files[fmt.Sprint("a/", i)] = fmt.Sprint("content ", i)
			files[fmt.Sprint("b/", i)] = fmt.Sprint("content ", i)
		}
		put(t, root, files)
		var group sync.WaitGroup
		var list []*plans.Plan
		for _, places := range [][]string{{"a", "b"}, {"b", "a"}} {
			plan := filesOnly(t, plans.Options{ForGood: true}, filepath.Join(root, places[0]), filepath.Join(root, places[1]))
			require.Equal(t, 30, plan.Totals().Steps)
			list = append(list, plan)
		}
		for i, plan := range list {
			c := carrier(filepath.Join(folder, fmt.Sprint("person", i))) // with journals of its own
			group.Go(func() { act.CarryOut(context.Background(), c, plan) })
		}
		group.Wait()
		left := map[string]bool{}
		for _, what := range state(t, root) {
			left[what[strings.LastIndexByte(what, '}')+1:]] = true
		}
		assert.Len(t, left, 30)
	}
}

// Of two files each of which is to stay for the other, one stays. A plan that does not say what stays is
// refused.
func TestCircles(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	put(t, root, map[string]string{"a": "same", "b": "same"})
	plan := planOf(t, plans.Options{}, root)
	require.Len(t, plan.Steps, 1)
	var back = *plan
	other := *plan.Steps[0]
	other.Path = plan.Steps[0].Keeper.Path
	keeper := *plan.Steps[0].Keeper
	keeper.Path = plan.Steps[0].Path
	other.Keeper = &keeper
	assert.NoError(t, back.Check("h"))
	back.Steps = []*plans.Step{plan.Steps[0], &other}
	circle, err := act.CarryOut(t.Context(), carrier(folder), &back)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{circle.Done, circle.Failed})
	assert.Len(t, state(t, root), 1, "one of the two")
	other.Keeper = nil
	back.Steps = []*plans.Step{&other}
	assert.ErrorContains(t, back.Check("h"), "which file stays")
	back.Options.By = "magic"
	assert.ErrorIs(t, back.Check("h"), plans.ErrPlan)
}

// On a file system that can, spares share their content with what stays: that frees their
// room, and alters nothing else. On another, they are refused.
func TestShared(t *testing.T) {
	image := filepath.Join(t.TempDir(), "image")
	require.NoError(t, os.WriteFile(image, nil, 0o600))
	require.NoError(t, os.Truncate(image, 320<<20))
	if out, err := exec.Command("mkfs.xfs", "-q", "-m", "reflink=1", image).CombinedOutput(); err != nil {
		t.Skip("no file system that shares content can be made: ", err, string(out))
	}
	on := t.TempDir()
	if out, err := exec.Command("mount", "-o", "loop", image, on).CombinedOutput(); err != nil {
		t.Skip("nothing can be mounted: ", err, string(out))
	}
	t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
	const size = 20<<20 + 77
	big := strings.Repeat("0123456789abcdef", size/16+1)[:size]
	root := filepath.Join(on, "tree")
	put(t, root, map[string]string{"a": big, "b": big, "c": big[1:] + "!"})
	before := state(t, root)
	free := func() int64 {
		unix.Sync()
		var fs unix.Statfs_t
		require.NoError(t, unix.Statfs(on, &fs))
		return int64(fs.Bfree) * fs.Bsize
	}
	was := free()
	c := carrier(on)
	plan := planOf(t, plans.Options{By: plans.ByShared}, root)
	result, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	assert.Equal(t, 1, result.Done)
	assert.False(t, result.Undoable)
	assert.Equal(t, before, state(t, root))
	assert.InDelta(t, size, free()-was, 1<<20)
	again := planOf(t, plans.Options{By: plans.ByShared}, root)
	assert.Len(t, again.Steps, 1)

	elsewhere := filepath.Join(t.TempDir(), "tree")
	put(t, elsewhere, map[string]string{"a": big, "b": big})
	assert.Contains(t, string(planOf(t, plans.Options{By: plans.ByShared}, elsewhere).Steps[0].Refused), "files cannot share space")
	both := planOf(t, plans.Options{By: plans.ByLinks}, elsewhere, root)
	require.Len(t, both.Steps, 3)
	assert.Contains(t, string(both.Steps[1].Refused+both.Steps[2].Refused), "another disk")
}

// Files that not everybody may do the same with do not become one.
func TestLinksWidenNothing(t *testing.T) {
	root := filepath.Join(t.TempDir(), "tree")
	put(t, root, map[string]string{"a": "same", "b": "same", "c": "same"})
	require.NoError(t, os.Chmod(filepath.Join(root, "b"), 0o600))
	require.NoError(t, unix.Lsetxattr(filepath.Join(root, "c"), "user.note", []byte("mine"), 0))
	plan := planOf(t, plans.Options{By: plans.ByLinks}, root)
	require.Len(t, plan.Steps, 2)
	for _, s := range plan.Steps {
		assert.Contains(t, string(s.Refused), "its owner, group, permissions or attributes differ")
	}
}
