package act_test

import (
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
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
	"frankledger/core/act/trash"
	"frankledger/core/act/verbs"
	"frankledger/core/arrange"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/live"
	"frankledger/core/source"
)

// state is what the kernel says of a tree, but for the time that details were
// changed, which nobody can set.
func state(t *testing.T, root string) map[string]string {
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
		require.NoError(t, err)
		var st unix.Stat_t
		require.NoError(t, unix.Lstat(path, &st))
		line := fmt.Sprint(st.Mode, " ", st.Uid, st.Gid, st.Mtim)
		switch st.Mode & unix.S_IFMT {
		case unix.S_IFREG:
			content, err := os.ReadFile(path)
			require.NoError(t, err)
			line += string(content)
		case unix.S_IFLNK:
			line, err = os.Readlink(path)
			require.NoError(t, err)
		}
		all[strings.TrimPrefix(path, root)] = line
		return nil
	}))
	return all
}

// grow makes a tree at random.
func grow(t *testing.T, random *rand.Rand, root string) {
	folders := []string{root}
	require.NoError(t, os.MkdirAll(root, 0o755))
	for i := range 60 {
		in := folders[random.IntN(len(folders))]
		name := filepath.Join(in, []string{"", ".", "-", "a b\n", "\xff"}[random.IntN(5)]+fmt.Sprint("n", random.IntN(30))+[]string{"", ".txt", ".tar.gz"}[random.IntN(3)])
		if _, err := os.Lstat(name); err == nil {
			continue
		}
		switch random.IntN(5) {
		case 0:
			require.NoError(t, os.Mkdir(name, 0o755))
			folders = append(folders, name)
		case 1:
			require.NoError(t, os.Symlink(fmt.Sprint("n", random.IntN(30)), name))
		default:
			require.NoError(t, os.WriteFile(name, []byte(fmt.Sprint("content ", i)), 0o600|os.FileMode(random.IntN(0o77))))
		}
	}
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		moment := unix.Timespec{Sec: 1_600_000_000 + random.Int64N(1e8), Nsec: random.Int64N(1e9)}
		require.NoError(t, unix.UtimesNanoAt(unix.AT_FDCWD, path, []unix.Timespec{moment, moment}, unix.AT_SYMLINK_NOFOLLOW))
		return err
	}))
}

// found returns the entries below a folder that are chosen, in order.
func found(t *testing.T, root string, chosen func(e *entry.Entry) bool) (entries []*entry.Entry) {
	s, err := live.Open(root, 0)
	require.NoError(t, err)
	collector := arrange.NewCollector(arrange.Order{}, nil, 0)
	_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, collector)
	require.NoError(t, err)
	arranged := collector.Arrange()
	for i := range arranged.Len() {
		if e := arranged.At(i); chosen(e) {
			entries = append(entries, e)
		}
	}
	return entries
}

func carrier(folder string) *doing.Carrier {
	return &doing.Carrier{Journals: journals.Journals{Folder: filepath.Join(folder, "journal")}, Trash: trash.Trash{Home: filepath.Join(folder, "trash"), User: os.Geteuid()}, Now: time.Now}
}

// For random trees and random actions on random entries, doing and undoing gives
// back the same tree: names, content, times and permissions. In between, no
// content is lost.
func TestDoAndUndo(t *testing.T) {
	moment := exact.Time{Sec: 1_700_000_000, Nsec: 5}
	other, err := os.MkdirTemp("/dev/shm", "frank-act-")
	if err == nil {
		defer os.RemoveAll(other)
	}
	for seed := range uint64(25) {
		random := rand.New(rand.NewPCG(seed, 3))
		folder := t.TempDir()
		root := filepath.Join(folder, "tree")
		grow(t, random, root)
		before := state(t, root)
		into := filepath.Join(folder, "new", "into")
		if seed%2 == 0 && other != "" {
			into = filepath.Join(other, fmt.Sprint(seed)) // on another disk
		}
		planner := &doing.Planner{Host: "tern-point", Home: "/home/nobody"}
		planner.Action = []plans.Action{plans.Hide, plans.Reveal, plans.Move, plans.Remove, plans.Stamp, plans.Permit}[seed%6]
		planner.Options = plans.Options{Into: exact.Text(into), KeepFolders: random.IntN(2) == 0, Number: random.IntN(2) == 0, Modified: &moment, Mode: "u+rwx,g=u,o-r"}
		plan, err := act.MakePlan(context.Background(), planner, found(t, root, func(*entry.Entry) bool { return random.IntN(3) == 0 }))
		require.NoError(t, err)
		c := carrier(folder)
		c.Tell = func(o doing.Outcome) { assert.NoError(t, o.Err, "%d %s", seed, o.Step.Path) }
		totals := plan.Totals()
		result, err := act.CarryOut(context.Background(), c, plan)
		require.NoError(t, err)
		assert.Equal(t, totals.Steps, result.Done)
		if totals.Steps == 0 {
			continue
		}
		require.NotEqual(t, before, state(t, root), seed)
		undone, err := act.Undo(context.Background(), c, result.Journal, "tern-point")
		require.NoError(t, err)
		assert.Equal(t, act.UndoResult{Undone: totals.Steps}, undone, seed)
		require.Equal(t, before, state(t, root), "%d %s", seed, planner.Action)
		_, err = act.Undo(context.Background(), c, result.Journal, "tern-point")
		assert.ErrorIs(t, err, doing.ErrUndone)
		left, _ := os.ReadDir(into)
		assert.Empty(t, left, "nothing stays behind")
		for _, part := range []string{"files", "info"} {
			left, _ := os.ReadDir(filepath.Join(folder, "trash", part))
			assert.Empty(t, left)
		}
	}
}

// A step is refused when it is planned if it would overwrite, and is not done
// when something has changed, has taken the name, or leads elsewhere in the meantime.
func TestNothingIsOverwritten(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write := func(name string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(root, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, name), []byte(name), 0o644))
	}
	for _, name := range []string{"a/x", "a/.x", "b/same", "c/same", "d/changed", "d/taken", "d/gone", "e/swapped", "f/in/deep", "g/stays"} {
		write(name)
	}
	file := func(e *entry.Entry) bool { return e.Kind == entry.KindFile }
	why := func(plan *plans.Plan) (list []string) {
		for _, s := range plan.Steps {
			list = append(list, strings.TrimPrefix(string(s.Path), root)+": "+string(s.Refused))
		}
		slices.Sort(list)
		return list
	}
	ctx := context.Background()
	planner := &doing.Planner{Action: plans.Hide, Host: "h", Home: filepath.Join(root, "g")}
	plan, err := act.MakePlan(ctx, planner, found(t, root, func(e *entry.Entry) bool { return strings.HasSuffix(e.Name, "x") }))
	require.NoError(t, err)
	assert.Equal(t, []string{"/a/x: that name is taken already"}, why(plan))
	assert.Equal(t, 1, plan.Same, "one is hidden already")
	planner.Options.Number = true
	plan, err = act.MakePlan(ctx, planner, found(t, root, func(e *entry.Entry) bool { return e.Name == "x" }))
	require.NoError(t, err)
	assert.Equal(t, exact.Text(filepath.Join(root, "a/.x-2")), plan.Steps[0].To)
	planner = &doing.Planner{Action: plans.Move, Host: "h", Options: plans.Options{Into: exact.Text(filepath.Join(root, "b"))}, Home: filepath.Join(root, "g")}
	plan, err = act.MakePlan(ctx, planner, found(t, root, func(e *entry.Entry) bool { return e.Name == "same" || e.Name == "b" || e.Name == "g" }))
	require.NoError(t, err)
	assert.Equal(t, []string{"/b/same: it is there already", "/b: a folder cannot go into itself", "/c/same: that name is taken already", "/g: the home folder is in it; --really allows that"}, why(plan))

	planner = &doing.Planner{Action: plans.Hide, Host: "h"}
	plan, err = act.MakePlan(ctx, planner, found(t, root, func(e *entry.Entry) bool { return file(e) && e.Folder.Name >= "d" && e.Folder.Name < "f" }))
	require.NoError(t, err)
	require.Len(t, plan.Steps, 4)
	write("d/.taken")
	require.NoError(t, os.WriteFile(filepath.Join(root, "d/changed"), []byte("other content"), 0o644))
	require.NoError(t, os.Remove(filepath.Join(root, "d/gone")))
	require.NoError(t, os.Rename(filepath.Join(root, "e"), filepath.Join(root, "real")))
	require.NoError(t, os.Symlink("real", filepath.Join(root, "e")))
	before := state(t, root)
	c := carrier(folder)
	said := map[string]string{}
	c.Tell = func(o doing.Outcome) { said[filepath.Base(string(o.Step.Path))] = fmt.Sprint(o.Err) }
	result, err := act.CarryOut(ctx, c, plan)
	require.NoError(t, err)
	assert.Equal(t, 4, result.Failed)
	assert.Equal(t, map[string]string{"changed": "it has changed since the plan was made", "taken": "that name is taken already",
		"gone": "it no longer exists", "swapped": "a folder in its path is now a link"}, said)
	assert.Equal(t, before, state(t, root))

	// A folder goes as a whole only if it holds what it held.
	planner = &doing.Planner{Action: plans.Remove, Host: "h", Options: plans.Options{ForGood: true}}
	plan, err = act.MakePlan(ctx, planner, found(t, root, func(e *entry.Entry) bool {
		return strings.Contains(e.Relative(), "f") && strings.HasPrefix(e.Relative(), "f")
	}))
	require.NoError(t, err)
	require.Len(t, plan.Steps, 1)
	assert.Equal(t, 2, plan.Covered)
	assert.EqualValues(t, 2, plan.Steps[0].Holds.Entries)
	write("f/in/new")
	result, err = act.CarryOut(ctx, c, plan)
	require.NoError(t, err)
	assert.Equal(t, 1, result.Failed)
	assert.FileExists(t, filepath.Join(root, "f/in/deep"))
	plan, err = act.MakePlan(ctx, planner, found(t, root, func(e *entry.Entry) bool { return e.Name == "f" }))
	require.NoError(t, err)
	result, err = act.CarryOut(ctx, c, plan)
	require.NoError(t, err)
	assert.NoDirExists(t, filepath.Join(root, "f"))
	undone, err := act.Undo(ctx, c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Stays: 1}, undone, "what is gone for good stays so")

	// What has come since is not overwritten, and what was altered is left.
	planner = &doing.Planner{Action: plans.Hide, Host: "h"}
	plan, err = act.MakePlan(ctx, planner, found(t, root, func(e *entry.Entry) bool { return e.Name == "stays" }))
	require.NoError(t, err)
	result, err = act.CarryOut(ctx, c, plan)
	require.NoError(t, err)
	write("g/stays")
	undone, err = act.Undo(ctx, c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Stays: 1}, undone)
	require.NoError(t, os.Remove(filepath.Join(root, "g/stays")))
	undone, err = act.Undo(ctx, c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 1}, undone, "it can be tried again")
	_, err = act.Undo(ctx, c, result.Journal, "elsewhere")
	assert.Error(t, err)
}

// Permissions are read as POSIX has them for chmod.
func TestParseMode(t *testing.T) {
	for _, c := range []struct {
		text         string
		before, want entry.Permissions
		folder       bool
	}{
		{"0640", 0o777, 0o640, false}, {"7", 0o777, 0o007, false}, {"4755", 0, 0o4755, false}, {"00644", 0, 0o644, false},
		{"u+x", 0o644, 0o744, false}, {"g-w,o=", 0o666, 0o640, false}, {"a+r", 0, 0o444, false}, {"+x", 0o600, 0o711, false}, {"-w", 0o666, 0o466, false},
		{"=rw", 0, 0o644, false}, {"a+X", 0o644, 0o644, false}, {"a+X", 0o744, 0o755, false}, {"a+X", 0o644, 0o755, true}, {"g=u", 0o640, 0o660, false},
		{"u=rw+x-w", 0, 0o500, false}, {"u+s,g+s,+t", 0o755, 0o7755, false}, {"u=rx", 0o4755, 0o555, false}, {"u=rx", 0o4755, 0o4555, true}, {"go-s", 0o2755, 0o755, false},
	} {
		change, err := verbs.ParseMode(c.text, 0o022)
		require.NoError(t, err, c.text)
		assert.Equal(t, c.want.Octal(), change(c.before, c.folder).Octal(), c.text)
	}
	for _, text := range []string{"", "u", "8", "u+q", "rw", "07777777", "u+r,", "z+r", "u~r", "u=gw", "u=go"} {
		_, err := verbs.ParseMode(text, 0)
		assert.ErrorIs(t, err, verbs.ErrMode, text)
	}
}

// Words of a command are replaced, and nothing else.
func TestReplace(t *testing.T) {
	words := verbs.Replace([]string{"@path", "-o", "@folder/@stem.flac", "@@name", "@name", "@ext", "a@b", "@@@ext"}, "/a b/-x $(y)\n.tar.gz")
	assert.Equal(t, []string{"/a b/-x $(y)\n.tar.gz", "-o", "/a b/-x $(y)\n.tar.flac", "@name", "-x $(y)\n.tar.gz", "gz", "a@b", "@gz"}, words)
	assert.NoError(t, verbs.CheckCommand([]string{"a", "@path", "@@name", "x@y"}, true))
	for _, words := range [][]string{{"a"}, {"a", "@path", "@path"}, {"a", "@path", "@name"}, {"a", "--x=@path"}} {
		assert.ErrorIs(t, verbs.CheckCommand(words, true), verbs.ErrBatch, words)
	}
	assert.ErrorIs(t, verbs.CheckCommand(nil, false), verbs.ErrNoCommand)
}

// foundSelf returns the entry of a place itself.
func foundSelf(t *testing.T, place string) (entries []*entry.Entry) {
	s, err := live.Open(place, 0)
	require.NoError(t, err)
	collector := arrange.NewCollector(arrange.Order{}, nil, 0)
	_, err = s.Read(context.Background(), source.Request{Facts: entry.FactStatus}, collector)
	require.NoError(t, err)
	return []*entry.Entry{collector.Arrange().At(0)}
}

func write(t *testing.T, name, content string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
	require.NoError(t, os.WriteFile(name, []byte(content), 0o644))
}

func named(names ...string) func(e *entry.Entry) bool {
	return func(e *entry.Entry) bool {
		for _, name := range names {
			if e.Name == name {
				return true
			}
		}
		return false
	}
}

func planOf(t *testing.T, c *doing.Carrier, root string, action plans.Action, o plans.Options, chosen func(e *entry.Entry) bool) *plans.Plan {
	t.Helper()
	plan, err := act.MakePlan(context.Background(), (&doing.Planner{Action: action, Host: "h", Options: o, Trash: c.Trash}), found(t, root, chosen))
	require.NoError(t, err)
	return plan
}

// carry carries a plan out, and returns by base name why steps were not done.
func carry(t *testing.T, c *doing.Carrier, plan *plans.Plan) (doing.Result, map[string]string) {
	t.Helper()
	wrong := map[string]string{}
	c.Tell = func(o doing.Outcome) {
		if o.Err != nil {
			wrong[filepath.Base(string(o.Step.Path))] = o.Err.Error()
		}
	}
	result, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	return result, wrong
}
