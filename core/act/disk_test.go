package act_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// otherDisk returns a folder on another file system than that for temporary
// files.
func otherDisk(t *testing.T) string {
	other, err := os.MkdirTemp("/dev/shm", "frank-act-")
	if err != nil {
		t.Skip("there is no other file system here:", err)
	}
	t.Cleanup(func() { os.RemoveAll(other) })
	var a, b unix.Stat_t
	require.NoError(t, unix.Stat(other, &a))
	require.NoError(t, unix.Stat(t.TempDir(), &b))
	if a.Dev == b.Dev {
		t.Skip("there is one file system only")
	}
	return other
}

// all plans and does an action on what is chosen, and returns what went wrong, or was
// refused.
func all(t *testing.T, c *doing.Carrier, root string, action plans.Action, o plans.Options, chosen func(e *entry.Entry) bool) (doing.Result, map[string]string) {
	t.Helper()
	plan := planOf(t, c, root, action, o, chosen)
	result, wrong := carry(t, c, plan)
	for _, s := range plan.Steps {
		if s.Refused != "" {
			wrong[filepath.Base(string(s.Path))] = string(s.Refused)
		}
	}
	return result, wrong
}

// To another disk, a folder goes with content, links, permissions and times, and
// holes stay holes, pipes pipes.
func TestMoveToAnotherDisk(t *testing.T) {
	other := otherDisk(t)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	require.NoError(t, os.MkdirAll(filepath.Join(root, "whole/in"), 0o755))
	require.NoError(t, os.MkdirAll(filepath.Join(root, "odd/in"), 0o755))
	large, err := os.Create(filepath.Join(root, "whole/in/holes"))
	require.NoError(t, err)
	_, err = large.WriteAt([]byte("end"), 40<<20)
	require.NoError(t, err)
	require.NoError(t, large.Truncate(50<<20))
	require.NoError(t, large.Close())
	require.NoError(t, os.WriteFile(filepath.Join(root, "whole/script"), bytes.Repeat([]byte("0123456789"), 10_000), 0o750))
	require.NoError(t, os.Symlink("nowhere", filepath.Join(root, "whole/link")))
	require.NoError(t, os.WriteFile(filepath.Join(root, "odd/in/file"), nil, 0o644))
	require.NoError(t, unix.Mkfifo(filepath.Join(root, "odd/pipe"), 0o644))
	require.NoError(t, os.Chmod(filepath.Join(root, "whole/in"), 0o2770))
	for i, name := range []string{"whole/in/holes", "whole/in", "whole/script", "whole", "odd"} {
		moment := time.Unix(1_500_000_000+int64(i), 123456789)
		require.NoError(t, os.Chtimes(filepath.Join(root, name), moment, moment))
	}
	before, odd := state(t, filepath.Join(root, "whole")), state(t, filepath.Join(root, "odd"))

	c := carrier(folder)
	result, wrong := all(t, c, root, plans.Move, plans.Options{Into: exact.Text(other)}, func(e *entry.Entry) bool { return e.Depth() == 1 })
	assert.Equal(t, 2, result.Done)
	assert.Empty(t, wrong)
	assert.Equal(t, odd, state(t, filepath.Join(other, "odd")), "the pipe is a pipe")
	names, err := os.ReadDir(other)
	require.NoError(t, err)
	require.Len(t, names, 2, "nothing half done")
	assert.Equal(t, before, state(t, filepath.Join(other, "whole")))
	assert.NoDirExists(t, filepath.Join(root, "whole"))
	var st unix.Stat_t
	require.NoError(t, unix.Stat(filepath.Join(other, "whole/in/holes"), &st))
	assert.Less(t, st.Blocks*512, int64(1<<20))

	undone, err := act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 2}, undone)
	assert.Equal(t, before, state(t, filepath.Join(root, "whole")))
	assert.Equal(t, odd, state(t, filepath.Join(root, "odd")))
	names, err = os.ReadDir(other)
	require.NoError(t, err)
	assert.Empty(t, names)
}

// What lies on another disk than the home folder enters a trash of its own
// there, as the specification has it: the shared one if it is sound, else one of
// the person's own; and never by way of a link.
func TestTrashOnAnotherDisk(t *testing.T) {
	disk := t.TempDir()
	smallDisk(t, disk, "1m")
	require.NoError(t, os.MkdirAll(filepath.Join(disk, "deep/er"), 0o755))
	c := carrier(t.TempDir())
	c.Now = func() time.Time { return time.Date(2026, 11, 23, 9, 5, 7, 0, time.Local) }
	throwAway := func(in string) string {
		t.Helper()
		name := filepath.Join(disk, "deep/er/a b%")
		require.NoError(t, os.WriteFile(name, []byte("content"), 0o644))
		result, wrong := all(t, c, filepath.Join(disk, "deep"), plans.Remove, plans.Options{}, func(e *entry.Entry) bool { return e.Kind == entry.KindFile })
		require.Empty(t, wrong)
		require.NoFileExists(t, name)
		content, err := os.ReadFile(filepath.Join(disk, in, "files/a b%"))
		require.NoError(t, err)
		assert.Equal(t, "content", string(content))
		info, err := os.ReadFile(filepath.Join(disk, in, "info/a b%.trashinfo"))
		require.NoError(t, err)
		assert.Equal(t, "[Trash Info]\nPath=deep/er/a%20b%25\nDeletionDate=2026-11-23T09:05:07\n", string(info))
		undone, err := act.Undo(context.Background(), c, result.Journal, "h")
		require.NoError(t, err)
		assert.Equal(t, act.UndoResult{Undone: 1}, undone)
		assert.FileExists(t, name)
		assert.NoFileExists(t, filepath.Join(disk, in, "info/a b%.trashinfo"))
		return name
	}
	throwAway(".Trash-0")
	require.NoError(t, os.Mkdir(filepath.Join(disk, ".Trash"), 0o777))
	throwAway(".Trash-0") // the shared one has no sticky bit
	require.NoError(t, os.Chmod(filepath.Join(disk, ".Trash"), 0o777|os.ModeSticky))
	throwAway(".Trash/0")
	require.NoError(t, os.RemoveAll(filepath.Join(disk, ".Trash")))
	require.NoError(t, os.RemoveAll(filepath.Join(disk, ".Trash-0")))
	elsewhere := t.TempDir()
	require.NoError(t, os.Symlink(elsewhere, filepath.Join(disk, ".Trash-0")))
	_, wrong := all(t, c, filepath.Join(disk, "deep"), plans.Remove, plans.Options{}, func(e *entry.Entry) bool { return e.Kind == entry.KindFile })
	assert.Contains(t, fmt.Sprint(wrong), "this disk cannot have a trash")
	left, err := os.ReadDir(elsewhere)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Of several things of one name, each has a place of its own in the trash, and
// goes back to where it was.
func TestTrashOfSameNames(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	for i := range 5 {
		require.NoError(t, os.MkdirAll(filepath.Join(root, fmt.Sprint(i)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, fmt.Sprint(i), "same.tar.gz"), []byte(fmt.Sprint(i)), 0o644))
	}
	before := state(t, root)
	c := carrier(folder)
	result, wrong := all(t, c, root, plans.Remove, plans.Options{}, func(e *entry.Entry) bool { return e.Kind == entry.KindFile })
	require.Empty(t, wrong)
	for _, name := range []string{"same.tar.gz", "same.tar-2.gz", "same.tar-5.gz"} {
		assert.FileExists(t, filepath.Join(folder, "trash/files", name))
		assert.FileExists(t, filepath.Join(folder, "trash/info", name+".trashinfo"))
	}
	_, err := act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, before, state(t, root))
}

// With Through, what a link leads to is acted on; without, the link itself, whose
// permissions cannot be set.
func TestThroughLinks(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	require.NoError(t, os.MkdirAll(root, 0o755))
	target := filepath.Join(folder, "target")
	require.NoError(t, os.WriteFile(target, nil, 0o644))
	require.NoError(t, os.Symlink("../target", filepath.Join(root, "link")))
	require.NoError(t, os.Symlink("nowhere", filepath.Join(root, "broken")))
	everything := func(*entry.Entry) bool { return true }
	mode := func() string {
		info, err := os.Stat(target)
		require.NoError(t, err)
		return info.Mode().String()
	}
	c := carrier(folder)
	result, _ := all(t, c, root, plans.Permit, plans.Options{Mode: "0600"}, everything)
	assert.Equal(t, doing.Result{Refused: 2}, result)
	result, _ = all(t, c, root, plans.Permit, plans.Options{Mode: "0600", Through: true}, everything)
	assert.Equal(t, 1, result.Done)
	assert.Equal(t, 1, result.Refused, "that leads to nothing")
	assert.Equal(t, "-rw-------", mode())
	_, err := act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, "-rw-r--r--", mode())
	moment := exact.Time{Sec: 1_000_000_000}
	result, _ = all(t, c, root, plans.Stamp, plans.Options{Modified: &moment}, everything)
	assert.Equal(t, 2, result.Done)
	var st unix.Stat_t
	require.NoError(t, unix.Lstat(filepath.Join(root, "link"), &st))
	assert.EqualValues(t, 1_000_000_000, st.Mtim.Sec)
	require.NoError(t, unix.Stat(target, &st))
	assert.NotEqualValues(t, 1_000_000_000, st.Mtim.Sec)
}

// A mount point is not moved or removed, unless it is named itself and meant.
func TestMountPointsStay(t *testing.T) {
	folder := t.TempDir()
	disk := filepath.Join(folder, "tree/disk")
	require.NoError(t, os.MkdirAll(disk, 0o755))
	smallDisk(t, disk, "100k")
	planner := &doing.Planner{Action: plans.Remove, Host: "h", Options: plans.Options{Really: true}}
	plan, err := act.MakePlan(context.Background(), planner, found(t, filepath.Join(folder, "tree"), func(*entry.Entry) bool { return true }))
	require.NoError(t, err)
	require.Len(t, plan.Steps, 1)
	assert.Contains(t, plan.Steps[0].Refused, "another file system is mounted there")
}
