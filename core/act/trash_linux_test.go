package act_test

import (
	"context"
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
)

// A trash can that is not its user's alone is not used, whoever made it and whatever
// it is swapped for in the meantime: nothing is written elsewhere.
func TestTrashOfOthers(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs folders of other owners")
	}
	elsewhere := t.TempDir()
	for name, c := range map[string]struct {
		make   func(t *testing.T, disk string) // before the plan
		during func(t *testing.T, disk string) // right before names are taken in it
		at     string                          // the call on info or files before which that is; by default the first that makes a name
		refuse bool
	}{
		"made by another": {make: func(t *testing.T, disk string) {
			require.NoError(t, os.MkdirAll(disk+"/.Trash-0/files", 0o700))
			require.NoError(t, os.MkdirAll(disk+"/.Trash-0/info", 0o700))
			require.NoError(t, os.Chown(disk+"/.Trash-0", 1001, 1001))
		}, refuse: true},
		"open to others": {make: func(t *testing.T, disk string) {
			require.NoError(t, os.MkdirAll(disk+"/.Trash-0/files", 0o755))
			require.NoError(t, os.Chmod(disk+"/.Trash-0", 0o770))
		}, refuse: true},
		"a link": {make: func(t *testing.T, disk string) { require.NoError(t, os.Symlink(elsewhere, disk+"/.Trash-0")) }, refuse: true},
		"the shared one a link": {make: func(t *testing.T, disk string) {
			require.NoError(t, os.Chmod(elsewhere, 0o1777))
			require.NoError(t, os.Symlink(elsewhere, disk+"/.Trash"))
		}},
		"the shared one, a part by another": {make: func(t *testing.T, disk string) {
			require.NoError(t, os.MkdirAll(disk+"/.Trash/0", 0o700))
			require.NoError(t, os.Chmod(disk+"/.Trash", 0o1777))
			require.NoError(t, os.Chown(disk+"/.Trash/0", 1001, 1001))
		}},
		"info swapped for a link": {during: func(t *testing.T, disk string) {
			require.NoError(t, os.Rename(disk+"/.Trash-0/info", disk+"/gone"))
			require.NoError(t, os.Symlink(elsewhere, disk+"/.Trash-0/info"))
		}, refuse: true},
		"files swapped for a link": {during: func(t *testing.T, disk string) {
			require.NoError(t, os.Rename(disk+"/.Trash-0/files", disk+"/gone"))
			require.NoError(t, os.Symlink(elsewhere, disk+"/.Trash-0/files"))
		}, refuse: true},
		"the whole swapped for another's": {during: func(t *testing.T, disk string) {
			require.NoError(t, os.Rename(disk+"/.Trash-0", disk+"/gone"))
			for _, part := range []string{"", "/files", "/info"} {
				require.NoError(t, os.Mkdir(disk+"/.Trash-0"+part, 0o777))
				require.NoError(t, os.Chown(disk+"/.Trash-0"+part, 1001, 1001))
			}
		}, at: "OpenFolder", refuse: true},
		"the whole swapped for a link": {during: func(t *testing.T, disk string) {
			require.NoError(t, os.Rename(disk+"/.Trash-0", disk+"/gone"))
			require.NoError(t, os.Symlink(elsewhere, disk+"/.Trash-0"))
		}, refuse: true},
	} {
		t.Run(name, func(t *testing.T) {
			disk := t.TempDir()
			smallDisk(t, disk, "1m")
			write(t, filepath.Join(disk, "in/precious"), "precious")
			if c.make != nil {
				c.make(t, disk)
			}
			run := carrier(t.TempDir())
			plan := planOf(t, run, filepath.Join(disk, "in"), plans.Remove, plans.Options{}, named("precious"))
			if c.refuse && c.make != nil {
				assert.Equal(t, "this disk cannot have a trash; --for-good removes without it", string(plan.Steps[0].Refused))
				plan.Steps[0].Refused = ""
			}
			if c.during != nil {
				swapped := false
				run.Calls = &sys.Calls{Before: func(call sys.Call) error {
					if now := call.Name == "CreateFile" || call.Name == "Rename"; !swapped && (c.at == "" && now || call.Name == c.at && call.On == ".Trash-0") {
						swapped = true
						c.during(t, disk)
					}
					return nil
				}}
			}
			result, wrong := carry(t, run, plan)
			left, err := os.ReadDir(elsewhere)
			require.NoError(t, err)
			assert.Empty(t, left)
			found := 0
			filepath.Walk(disk, func(path string, info os.FileInfo, err error) error {
				if content, err := os.ReadFile(path); err == nil && string(content) == "precious" {
					found++
				}
				return nil
			})
			assert.Equal(t, 1, found)
			if c.during == nil && c.refuse {
				assert.Equal(t, 1, result.Failed)
				assert.NotEmpty(t, wrong)
			}
			if !c.refuse {
				assert.Equal(t, 1, result.Done)
				assert.DirExists(t, disk+"/.Trash-0")
			}
		})
	}
}

// The trash is at the top of what is mounted, be it a bind mount of the home disk or
// an overlay over another file system; where there can be none, the plan says so.
func TestTrashOnMounts(t *testing.T) {
	home := t.TempDir()
	use := func(t *testing.T, place string) (*doing.Carrier, *plans.Plan) {
		c := carrier(home)
		return c, planOf(t, c, place, plans.Remove, plans.Options{}, func(e *entry.Entry) bool { return e.Kind == entry.KindFile })
	}
	remove := func(t *testing.T, place, can string) {
		c, plan := use(t, place)
		require.NotEmpty(t, plan.Steps)
		before := state(t, place)
		result, wrong := carry(t, c, plan)
		assert.Empty(t, wrong)
		assert.Equal(t, len(plan.Steps), result.Done)
		left, err := os.ReadDir(filepath.Join(can, "files"))
		require.NoError(t, err)
		assert.Len(t, left, len(plan.Steps))
		undone, err := act.Undo(context.Background(), c, result.Journal, "h")
		require.NoError(t, err)
		assert.Equal(t, act.UndoResult{Undone: len(plan.Steps)}, undone)
		assert.Equal(t, before, state(t, place))
	}
	t.Run("bind", func(t *testing.T) {
		folder, on := t.TempDir(), t.TempDir()
		write(t, filepath.Join(folder, "a/b/file"), "content")
		bind(t, folder, on)
		remove(t, filepath.Join(on, "a"), filepath.Join(on, ".Trash-0"))
	})
	t.Run("overlay", func(t *testing.T) {
		base := t.TempDir()
		smallDisk(t, base, "1m") // for above
		lower, on := t.TempDir(), t.TempDir()
		for _, dir := range []string{"upper", "work"} {
			require.NoError(t, os.Mkdir(filepath.Join(base, dir), 0o755))
		}
		write(t, filepath.Join(lower, "a/b/below"), "below")
		if err := unix.Mount("overlay", on, "overlay", 0, "lowerdir="+lower+",upperdir="+base+"/upper,workdir="+base+"/work"); err != nil {
			t.Skip("no overlay can be mounted:", err)
		}
		t.Cleanup(func() { unix.Unmount(on, unix.MNT_DETACH) })
		write(t, filepath.Join(on, "a/b/above"), "above")
		c, plan := use(t, filepath.Join(on, "a"))
		result, wrong := carry(t, c, plan)
		assert.Empty(t, wrong)
		assert.Equal(t, 2, result.Done)
		assert.NoDirExists(t, filepath.Join(on, "a/b/.Trash-0"))
		left, err := os.ReadDir(filepath.Join(on, ".Trash-0/files"))
		require.NoError(t, err)
		assert.Len(t, left, 2)
		undone, err := act.Undo(context.Background(), c, result.Journal, "h")
		require.NoError(t, err)
		assert.Equal(t, act.UndoResult{Undone: 2}, undone)
	})
	t.Run("read-only", func(t *testing.T) {
		folder, on := t.TempDir(), t.TempDir()
		write(t, filepath.Join(folder, "file"), "content")
		bind(t, folder, on)
		require.NoError(t, unix.Mount("", on, "", unix.MS_BIND|unix.MS_REMOUNT|unix.MS_RDONLY, ""))
		_, plan := use(t, on)
		assert.Equal(t, "the file system is read-only", string(plan.Steps[0].Refused))
	})
	t.Run("a folder with the trash in it", func(t *testing.T) {
		c := carrier(home)
		write(t, filepath.Join(home, "trash/files/x"), "x")
		assert.Equal(t, "the trash is in it", string(planOf(t, c, home, plans.Remove, plans.Options{}, named("trash")).Steps[0].Refused))
	})
}
