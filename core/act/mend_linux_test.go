package act_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
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
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/internal/long"
)

// failing returns calls of which those of one name fail after so many.
func failing(name string, after int, err error) *sys.Calls {
	n := 0
	return &sys.Calls{Before: func(c sys.Call) error {
		if c.Name == name {
			if n++; n > after {
				return err
			}
		}
		return nil
	}}
}

// What was done only in part is told as that, with how much, in the outcome, the result and the journal; and nobody
// is told that undo undoes what it cannot.
func TestPartlyDone(t *testing.T) {
	other := otherDisk(t)
	for name, o := range map[string]plans.Options{"for good": {ForGood: true}, "across": {Into: exact.Text(other)}} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			for i := range 5 {
				write(t, filepath.Join(root, "top", fmt.Sprint("f", i)), fmt.Sprint("content ", i))
			}
			before := state(t, root)
			action := plans.Remove
			if o.Into != "" {
				action = plans.Move
			}
			c := carrier(folder)
			plan := planOf(t, c, root, action, o, named("top"))
			c.Calls = failing("Unlink", 2, unix.EIO)
			var told doing.Outcome
			c.Tell = func(o doing.Outcome) { told = o }
			result, err := act.CarryOut(context.Background(), c, plan)
			require.NoError(t, err)
			assert.Equal(t, doing.Result{Journal: 1, Partly: 1, Undoable: !o.ForGood}, result)
			assert.True(t, told.Partly)
			assert.ErrorContains(t, told.Err, "input/output error")
			left, err := os.ReadDir(filepath.Join(root, "top"))
			require.NoError(t, err)
			assert.Len(t, left, 3)
			past, err := c.Journals.Read(1)
			require.NoError(t, err)
			assert.Equal(t, journals.Partly, past.Steps[0].State)
			assert.Equal(t, []int64{2, 6}, []int64{past.Steps[0].Gone, past.Steps[0].Of})
			assert.Equal(t, 1, past.Count(journals.Partly))
			c.Calls = nil
			undone, err := act.Undo(context.Background(), c, 1, "h")
			require.NoError(t, err)
			if o.ForGood {
				assert.Equal(t, act.UndoResult{Stays: 1}, undone)
				return
			}
			assert.Equal(t, act.UndoResult{Undone: 1}, undone)
			assert.Equal(t, before, state(t, root))
			assert.NoDirExists(t, filepath.Join(other, "top"))
		})
	}
}

// A move to another disk that is killed at any call is undone whole, whatever of it was copied and removed by then.
func TestKilledAcrossLong(t *testing.T) {
	long.Test(t)
	other := otherDisk(t)
	for at := 1; ; at++ {
		folder := t.TempDir()
		root := filepath.Join(folder, "tree")
		write(t, filepath.Join(root, "top/a/one"), "one")
		write(t, filepath.Join(root, "top/two"), "two")
		require.NoError(t, os.Symlink("two", filepath.Join(root, "top/link")))
		for _, name := range []string{"top/a/again", "top/once more"} { // one file of three names
			require.NoError(t, os.Link(filepath.Join(root, "top/two"), filepath.Join(root, name)))
		}
		before := state(t, root)
		c := carrier(folder)
		plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(other)}, named("top"))
		n := 0
		c.Calls = &sys.Calls{Before: func(sys.Call) error {
			if n++; n == at {
				panic(errKilled)
			}
			return nil
		}}
		finished := false
		func() {
			defer func() { recover() }()
			act.CarryOut(context.Background(), c, plan)
			finished = true
		}()
		if finished {
			break
		}
		c.Calls = nil
		copied := journals.Journals{Folder: t.TempDir()} // the file itself is still locked
		name := "000001.jsonl"
		if content, err := os.ReadFile(filepath.Join(c.Journals.Folder, name)); err == nil {
			require.NoError(t, os.WriteFile(filepath.Join(copied.Folder, name), content, 0o600))
		}
		c.Journals = copied
		if past, err := c.Journals.Read(1); err == nil {
			act.Look(c, past)
			assert.NotEqual(t, journals.Begun, past.Steps[0].Found, "the disk tells what became of it")
			_, err = act.Undo(context.Background(), c, 1, "h")
			require.NoError(t, err, at)
		}
		now := state(t, root)
		for path, line := range before {
			if path != "/top" && path != "" && path != "/top/a" {
				require.Equal(t, line, now[path], "%d %s", at, path)
			}
		}
		require.Len(t, now, len(before), at)
		var st unix.Stat_t
		require.NoError(t, unix.Stat(filepath.Join(root, "top/a/again"), &st))
		require.EqualValues(t, 3, st.Nlink, at)
		left, err := os.ReadDir(other)
		require.NoError(t, err)
		require.Empty(t, left, at)
	}
}

// What was edited at either side after a move was broken off is kept, and said.
func TestRejoinKeepsWhatDiffers(t *testing.T) {
	other := otherDisk(t)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	for _, name := range []string{"a", "b", "c"} {
		write(t, filepath.Join(root, "top", name), name)
	}
	c := carrier(folder)
	plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(other)}, named("top"))
	c.Calls = failing("Unlink", 1, unix.EIO)
	_, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	c.Calls = nil
	write(t, filepath.Join(other, "top/a"), "edited there")
	write(t, filepath.Join(other, "top/b"), "also edited there")
	said := ""
	c.Tell = func(o doing.Outcome) { said = fmt.Sprint(o.Err) }
	undone, err := act.Undo(context.Background(), c, 1, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Stays: 1}, undone)
	assert.Equal(t, "it exists in both places, and they differ; nothing that differs was removed", said)
	for name, content := range map[string]string{root + "/top/a": "edited there", root + "/top/b": "b", root + "/top/c": "c", other + "/top/b": "also edited there"} {
		is, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.Equal(t, content, string(is), name)
	}
	assert.NoFileExists(t, filepath.Join(other, "top/c"))
}

// What cannot be undone blocks nothing: the newest journal that can be is found. An
// undo that could not write down what it did is finished by the next one.
func TestUndoIsNotStuck(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	for _, name := range []string{"a", "b", "c", "d"} {
		write(t, filepath.Join(root, name), name)
	}
	before := state(t, root)
	c := carrier(folder)
	carry(t, c, planOf(t, c, root, plans.Hide, plans.Options{}, named("a", "b", "c")))
	carry(t, c, planOf(t, c, root, plans.Remove, plans.Options{ForGood: true}, named("d")))
	delete(before, "/d")
	number, passed, err := act.NewestUndoable(c, "h")
	require.NoError(t, err)
	assert.EqualValues(t, 1, number)
	assert.EqualError(t, passed[2], "it was removed for good")
	c.Calls = failing("Write", 0, unix.ENOSPC)
	_, err = act.Undo(context.Background(), c, 1, "h")
	assert.ErrorIs(t, err, unix.ENOSPC)
	c.Calls = nil
	past, err := c.Journals.Read(1)
	require.NoError(t, err)
	assert.Equal(t, 3, past.Count(journals.Done), "nothing could be written down")
	undone, err := act.Undo(context.Background(), c, 1, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 3}, undone)
	now := state(t, root)
	delete(before, "")
	delete(now, "")
	assert.Equal(t, before, now)
	number, _, err = act.NewestUndoable(c, "h")
	require.NoError(t, err)
	assert.Zero(t, number)

	// A start that fails leaves no journal.
	c.Calls = failing("Write", 0, unix.ENOSPC)
	_, err = act.CarryOut(context.Background(), c, planOf(t, c, root, plans.Hide, plans.Options{}, named("a")))
	assert.ErrorIs(t, err, unix.ENOSPC)
	numbers, err := c.Journals.Numbers()
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 2}, numbers)
	c.Calls = failing("Sync", 0, unix.EIO)
	_, err = act.CarryOut(context.Background(), c, planOf(t, c, root, plans.Hide, plans.Options{}, named("a")))
	assert.ErrorIs(t, err, unix.EIO)
	numbers, err = c.Journals.Numbers()
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 2}, numbers)
	assert.FileExists(t, filepath.Join(root, "a"))
}

// What a step made that then failed is taken away again.
func TestFailedStepLeavesNothing(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "in/a"), "a")
	for action, o := range map[plans.Action]plans.Options{plans.Move: {Into: exact.Text(filepath.Join(folder, "new/into")), KeepFolders: true}, plans.Remove: {}} {
		c := carrier(folder)
		plan := planOf(t, c, root, action, o, named("a"))
		c.Calls = failing("Rename", 0, unix.EACCES)
		result, _ := carry(t, c, plan)
		assert.Equal(t, 1, result.Failed)
		assert.False(t, result.Undoable)
		assert.NoDirExists(t, filepath.Join(folder, "new"))
		infos, _ := os.ReadDir(filepath.Join(folder, "trash/info"))
		assert.Empty(t, infos)
		assert.FileExists(t, filepath.Join(root, "in/a"))
	}
}

// disk makes a file system in a file and returns a function that mounts it on a
// folder, each time by another device.
func disk(t *testing.T, options ...string) (mount func(on string)) {
	image := filepath.Join(t.TempDir(), "image")
	require.NoError(t, os.WriteFile(image, nil, 0o600))
	require.NoError(t, os.Truncate(image, 8<<20))
	if out, err := exec.Command("mkfs.ext4", append(options, "-q", "-F", image)...).CombinedOutput(); err != nil {
		t.Skip("no file system can be made: ", err, string(out))
	}
	return func(on string) {
		if out, err := exec.Command("mount", "-o", "loop", image, on).CombinedOutput(); err != nil {
			t.Skip("nothing can be mounted: ", err, string(out))
		}
		t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
	}
}

// A file system that was mounted anew has another number. A plan that was kept is
// carried out nevertheless, and what was done is undone; but not on another file
// system that has got that number.
func TestMountedAnew(t *testing.T) {
	mount, another := disk(t), disk(t)
	on, aside := t.TempDir(), t.TempDir()
	device := func() uint64 {
		var st unix.Stat_t
		require.NoError(t, unix.Stat(on, &st))
		return uint64(st.Dev)
	}
	c := carrier(t.TempDir())
	mount(on)
	for _, name := range []string{"in/a", "in/b", "lost"} {
		write(t, filepath.Join(on, name), name)
	}
	first := device()
	var list []*plans.Plan
	for _, o := range []struct {
		action plans.Action
		name   string
	}{{plans.Hide, "a"}, {plans.Permit, "b"}, {plans.Remove, "lost"}, {plans.Remove, "in"}} {
		var kept bytes.Buffer
		require.NoError(t, planOf(t, c, on, o.action, plans.Options{Mode: "0600"}, named(o.name)).WriteJSON(&kept))
		plan, err := plans.ReadPlan(kept.Bytes())
		require.NoError(t, err)
		require.NotEmpty(t, plan.Volumes[first])
		list = append(list, plan)
	}
	anew := func(mount func(on string)) {
		require.NoError(t, unix.Unmount(on, 0))
		another(aside) // takes the device that was free
		mount(on)
	}
	anew(mount)
	require.NotEqual(t, first, device())
	for i, plan := range list[:3] {
		result, wrong := carry(t, c, plan)
		require.Empty(t, wrong, i)
		assert.Equal(t, 1, result.Done)
	}
	require.NoError(t, unix.Unmount(on, 0))
	require.NoError(t, unix.Unmount(aside, 0))
	mount(on) // by the first one again, perhaps
	for _, n := range []int64{3, 2, 1} {
		undone, err := act.Undo(context.Background(), c, n, "h")
		require.NoError(t, err)
		assert.Equal(t, act.UndoResult{Undone: 1}, undone, n)
	}
	for _, name := range []string{"in/a", "in/b", "lost"} {
		assert.FileExists(t, filepath.Join(on, name))
	}

	// Another file system, with the same inodes.
	other := disk(t)
	require.NoError(t, unix.Unmount(on, 0))
	other(on)
	for _, name := range []string{"in/a", "in/b", "lost"} {
		write(t, filepath.Join(on, name), name)
	}
	for _, plan := range list {
		_, wrong := carry(t, c, plan)
		assert.Len(t, wrong, 1)
	}
	assert.FileExists(t, filepath.Join(on, "in/a"))
}

// A time that the disk cannot hold is not set, and one that it rounds is told and
// undone.
func TestTimesThatADiskCannotHold(t *testing.T) {
	mount := disk(t, "-I", "128") // seconds to 2038
	on := t.TempDir()
	mount(on)
	write(t, filepath.Join(on, "a"), "a")
	moment := time.Unix(1_500_000_000, 0)
	require.NoError(t, os.Chtimes(filepath.Join(on, "a"), moment, moment))
	before := state(t, on)
	delete(before, "/lost+found")
	c := carrier(t.TempDir())
	for _, year := range []int{2500, 2039, 1850} {
		far := exact.Time(entry.TimeOf(time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC)))
		plan := planOf(t, c, on, plans.Stamp, plans.Options{Modified: &far}, named("a"))
		assert.Equal(t, "this file system cannot hold that time: it holds 1901-12-13 to 2038-01-19", string(plan.Steps[0].Refused))
	}
	later := exact.Time(entry.TimeOf(time.Date(2100, 1, 1, 0, 0, 0, 0, time.UTC)))
	known := planOf(t, c, on, plans.Stamp, plans.Options{Modified: &exact.Time{Sec: 1}}, named("a"))
	known.Options.Modified = &later // as if this file system did not say so
	_, wrong := carry(t, c, known)
	assert.Equal(t, "this file system cannot hold that time: it would be 2038-01-19T03:14:07.000000000Z", wrong["a"])
	now := state(t, on)
	delete(now, "/lost+found")
	assert.Equal(t, before, now)

	finer := exact.Time{Sec: 1_600_000_000, Nsec: 500_000_000}
	plan := planOf(t, c, on, plans.Stamp, plans.Options{Modified: &finer}, named("a"))
	notes := ""
	c.Tell = func(o doing.Outcome) { require.NoError(t, o.Err); notes = o.Notes }
	result, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	assert.Equal(t, "this file system holds 2020-09-13T12:26:40.000000000Z instead", notes)
	past, err := c.Journals.Read(result.Journal)
	require.NoError(t, err)
	assert.Equal(t, notes, past.Steps[0].Why)
	undone, err := act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 1}, undone)
	now = state(t, on)
	delete(now, "/lost+found")
	assert.Equal(t, before, now)
}

// A plan leads only where its paths plainly say.
func TestPlainPaths(t *testing.T) {
	folder := t.TempDir()
	write(t, filepath.Join(folder, "tree/a"), "a")
	write(t, filepath.Join(folder, "out/there"), "there")
	require.NoError(t, os.Symlink("../out", filepath.Join(folder, "tree/link")))
	c := carrier(folder)
	for _, spoil := range []func(p *plans.Plan){
		func(p *plans.Plan) { p.Steps[0].To = exact.Text(folder + "/tree/../out/a") },
		func(p *plans.Plan) { p.Steps[0].To = exact.Text(folder + "/tree/./a") },
		func(p *plans.Plan) { p.Steps[0].To = exact.Text(folder + "/tree//x") },
		func(p *plans.Plan) { p.Steps[0].Path = exact.Text(folder + "/out/../tree/a") },
		func(p *plans.Plan) { p.Options.Into = exact.Text(folder + "/..") },
		func(p *plans.Plan) { p.Steps[0].To = exact.Text(folder + "/tree/link/a") },
	} {
		plan := planOf(t, c, filepath.Join(folder, "tree"), plans.Move, plans.Options{Into: exact.Text(filepath.Join(folder, "new"))}, named("a"))
		spoil(plan)
		checked := plan.Check("h")
		if strings.Contains(string(plan.Steps[0].To), "link") {
			assert.NoError(t, checked)
		} else {
			assert.ErrorIs(t, checked, plans.ErrPlan)
		}
		if plan.Options.Into == exact.Text(folder+"/..") {
			continue
		}
		result, wrong := carry(t, c, plan)
		assert.Equal(t, 1, result.Failed)
		assert.NotEmpty(t, wrong)
		assert.FileExists(t, filepath.Join(folder, "tree/a"))
		left, err := os.ReadDir(filepath.Join(folder, "out"))
		require.NoError(t, err)
		assert.Len(t, left, 1)
	}
}

// Journals and plans of the first version, which told less, are still read.
func TestEarlierPlansAndJournals(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "top/in"), "in")
	c := carrier(folder)
	plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(filepath.Join(folder, "into"))}, named("top"))
	earlier := func() {
		plan.Volumes = nil
		plan.Steps[0].Changed, plan.Steps[0].Born, plan.Steps[0].Holds.Digest = exact.Time{}, exact.Time{}, ""
	}
	earlier()
	result, wrong := carry(t, c, plan)
	require.Empty(t, wrong)
	name := filepath.Join(c.Journals.Folder, fmt.Sprintf("%06d.jsonl", result.Journal))
	content, err := os.ReadFile(name)
	require.NoError(t, err)
	at := strings.Index(string(content), `,"token":"`)
	text := string(content[:at]) + string(content[at+len(`,"token":"0123456789abcdef"`):])
	require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
	undone, err := act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 1}, undone)
	plan = planOf(t, c, root, plans.Remove, plans.Options{ForGood: true}, named("top"))
	earlier()
	write(t, filepath.Join(root, "top/new"), "new")
	_, wrong = carry(t, c, plan)
	assert.Equal(t, "it has changed since the plan was made", wrong["top"])
}

// That something could not be looked at is not taken for its absence: a move that was
// broken off is not called undone for that.
func TestErrorsAreNotAbsence(t *testing.T) {
	other := otherDisk(t)
	for at := 1; at <= 4; at++ {
		folder := t.TempDir()
		root := filepath.Join(folder, "tree")
		for i := range 4 {
			write(t, filepath.Join(root, "top", fmt.Sprint("f", i)), fmt.Sprint("content ", i))
		}
		before := state(t, root)
		c := carrier(folder)
		plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(other)}, named("top"))
		c.Calls = failing("Unlink", 2, unix.EIO)
		result, err := act.CarryOut(context.Background(), c, plan)
		require.NoError(t, err)
		require.Equal(t, 1, result.Partly)
		n := 0
		c.Calls = &sys.Calls{Before: func(call sys.Call) error {
			if call.Name == "Status" && call.On == "top" {
				if n++; n == at {
					return unix.EIO
				}
			}
			return nil
		}}
		undone, err := act.Undo(context.Background(), c, 1, "h")
		require.NoError(t, err)
		c.Calls = nil
		if undone.Undone == 0 {
			require.Equal(t, act.UndoResult{Stays: 1}, undone, at)
			undone, err = act.Undo(context.Background(), c, 1, "h")
			require.NoError(t, err)
		}
		assert.Equal(t, act.UndoResult{Undone: 1}, undone, at)
		assert.Equal(t, before, state(t, root), at)
		assert.NoDirExists(t, filepath.Join(other, "top"))
	}
}
