package act_test

import (
	"context"
	"fmt"
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
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/verbs"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// at returns calls before one of which, by its name and after so many, something happens.
func at(name string, after int, do func() error) *sys.Calls {
	n := 0
	return &sys.Calls{Before: func(c sys.Call) error {
		if c.Name == name {
			if n++; n == after+1 {
				return do()
			}
		}
		return nil
	}}
}

// read returns what is in a file.
func read(t *testing.T, name string) string {
	content, err := os.ReadFile(name)
	require.NoError(t, err)
	return string(content)
}

// killedOnce does what may be killed, and has the journal be another file then, so that it
// is not locked.
func killedOnce(t *testing.T, c *doing.Carrier, do func()) bool {
	return (&torture{T: t}).killable(c, do)
}

// Files whose names go round are under passing names when their folder is moved away: that is reported, with where
// they are, and undo gives them their names.
func TestSwapWhoseFolderWasMovedAway(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree/in")
	write(t, filepath.Join(root, "a.n1"), "first")
	write(t, filepath.Join(root, "n1.a"), "second")
	c := carrier(folder)
	plan := planOf(t, c, filepath.Join(folder, "tree"), plans.Rename, plans.Options{Pattern: "@ext.@stem"}, named("a.n1", "n1.a"))
	for _, s := range plan.Steps {
		require.True(t, s.Swaps)
	}
	c.Calls = at("Rename", 1, func() error { return os.Rename(root, root+" away") }) // both get names of no meaning there
	var told []doing.Outcome
	c.Tell = func(o doing.Outcome) { told = append(told, o) }
	result, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	require.NoError(t, os.Rename(root+" away", root))
	assert.Equal(t, 2, result.Partly)
	c.Calls, c.Tell = nil, nil
	past, err := c.Journals.Read(1)
	require.NoError(t, err)
	act.Look(c, past)
	for i, o := range told {
		if o.Partly {
			assert.FileExists(t, past.Steps[o.Number-1].Aside, i)
		}
	}
	undone, err := act.Undo(context.Background(), c, 1, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 2}, undone)
	assert.Equal(t, "first", read(t, filepath.Join(root, "a.n1")))
	assert.Equal(t, "second", read(t, filepath.Join(root, "n1.a")))
}

// What a person put into a copy is never removed with it, wherever undo is killed.
func TestUndoOfCopyKeepsAdditions(t *testing.T) {
	for call := 1; ; call++ {
		folder := t.TempDir()
		root, into := filepath.Join(folder, "tree"), filepath.Join(folder, "into")
		write(t, filepath.Join(root, "f/a"), "one")
		write(t, filepath.Join(root, "f/in/b"), "two")
		c := carrier(folder)
		carry(t, c, planOf(t, c, root, plans.Copy, plans.Options{Into: exact.Text(into)}, named("f")))
		c.Tell = nil
		n := 0
		c.Calls = &sys.Calls{Before: func(sys.Call) error {
			if n++; n == call {
				panic(errKilled)
			}
			return nil
		}}
		killed := killedOnce(t, c, func() { act.Undo(context.Background(), c, 1, "h") })
		added := 0
		require.NoError(t, filepath.Walk(into, func(path string, info os.FileInfo, err error) error {
			if err == nil && info.IsDir() && path != into {
				added++
				write(t, filepath.Join(path, "mine"), "my own")
			}
			return nil
		}))
		act.Undo(context.Background(), c, 1, "h")
		kept := 0
		filepath.Walk(into, func(path string, info os.FileInfo, err error) error {
			if err == nil && info.Mode().IsRegular() && read(t, path) == "my own" {
				kept++
			}
			return nil
		})
		require.Equal(t, added, kept, call)
		assert.Equal(t, "one", read(t, filepath.Join(root, "f/a")))
		if !killed {
			break
		}
	}
}

// A second name of a file that moves to another disk becomes one of the copy only if that is
// what was made: an editor may have saved in between.
func TestSecondNameAfterAnEditorSaved(t *testing.T) {
	other := otherDisk(t)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "a"), "precious")
	require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "b")))
	c := carrier(folder)
	plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(other)}, named("a", "b"))
	c.Begin = func(s *plans.Step) {
		if filepath.Base(string(s.Path)) == "b" {
			write(t, filepath.Join(other, "saving"), "edited")
			require.NoError(t, os.Rename(filepath.Join(other, "saving"), filepath.Join(other, "a")))
		}
	}
	notes := ""
	c.Tell = func(o doing.Outcome) { require.NoError(t, o.Err); notes += o.Notes }
	_, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	assert.Equal(t, "edited", read(t, filepath.Join(other, "a")))
	assert.Equal(t, "precious", read(t, filepath.Join(other, "b")))
	assert.Contains(t, notes, "could not keep hard links of 1")
}

// A copy whose rights a person changed is not as it was made.
func TestUndoLeavesACopyWithOtherRights(t *testing.T) {
	for name, change := range map[string]func(path string) error{
		"owner":     func(path string) error { return os.Chown(path, 1001, 1001) },
		"attribute": func(path string) error { return unix.Setxattr(path, "user.note", []byte("mine"), 0) },
		"access list": func(path string) error {
			return unix.Setxattr(path, sys.AccessList, accessList(6, 4, 4, 0, map[uint32]uint16{1001: 4}, nil), 0)
		},
		"permissions": func(path string) error { return os.Chmod(path, 0o600) },
		"flags":       func(path string) error { giveFlags(path, 0x80); return nil },
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			root, into := filepath.Join(folder, "tree"), filepath.Join(folder, "into")
			write(t, filepath.Join(root, "f"), "content")
			c := carrier(folder)
			carry(t, c, planOf(t, c, root, plans.Copy, plans.Options{Into: exact.Text(into)}, named("f")))
			require.NoError(t, change(filepath.Join(into, "f")))
			undone, err := act.Undo(context.Background(), c, 1, "h")
			require.NoError(t, err)
			assert.Equal(t, act.UndoResult{Stays: 1}, undone)
			assert.FileExists(t, filepath.Join(into, "f"))
		})
	}
}

// A program of two names gets its capabilities back, whichever step took them.
func TestCapabilitiesOfTwoNames(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "tool"), "program")
	require.NoError(t, unix.Setxattr(filepath.Join(root, "tool"), "security.capability", netRaw, 0))
	require.NoError(t, os.Link(filepath.Join(root, "tool"), filepath.Join(root, "tool too")))
	c := carrier(folder)
	_, wrong := carry(t, c, planOf(t, c, root, plans.Own, plans.Options{Owner: "1001:1001"}, named("tool", "tool too")))
	assert.Empty(t, wrong)
	undone, err := act.Undo(context.Background(), c, 1, "h")
	require.NoError(t, err)
	assert.Equal(t, act.UndoResult{Undone: 2}, undone)
	room := make([]byte, 64)
	n, err := unix.Getxattr(filepath.Join(root, "tool"), "security.capability", room)
	require.NoError(t, err)
	assert.Equal(t, netRaw, room[:n])
}

// Times that another disk does not hold are in the plan, refused if nothing may be lost,
// and exactly as they were after undo, which brings flags back too.
func TestTimesAndFlagsComeBack(t *testing.T) {
	on := t.TempDir()
	disk(t, "-I", "128")(on)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "f/a"), "content")
	giveFlags(filepath.Join(root, "f/a"), oddFlags)
	flags := flagsOf(filepath.Join(root, "f/a"))
	far := time.Date(2200, 1, 1, 0, 0, 0, 123456789, time.UTC)
	for _, name := range []string{"f/a", "f"} {
		require.NoError(t, os.Chtimes(filepath.Join(root, name), far, far))
	}
	before := state(t, filepath.Join(root, "f"))
	c := carrier(folder)
	strict := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(on), Strict: true}, named("f"))
	assert.Equal(t, "times cannot be kept exactly there (2)", string(strict.Steps[0].Refused))
	plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(on)}, named("f"))
	assert.Equal(t, "times cannot be kept exactly there (2)", string(plan.Steps[0].Notes))
	plan.Options.Strict = true // as if the disk did not say so
	_, wrong := carry(t, c, plan)
	assert.Contains(t, wrong["f"], "something of it would be lost there: could not keep exact times of 2")
	assert.NoDirExists(t, filepath.Join(on, "f"))
	plan.Options.Strict = false
	result, wrong := carry(t, c, plan)
	assert.Empty(t, wrong)
	assert.Equal(t, flags, flagsOf(filepath.Join(on, "f/a")))
	c.Tell = func(o doing.Outcome) { assert.Empty(t, o.Notes, "it all comes back") }
	_, err := act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, before, state(t, filepath.Join(root, "f")))
	assert.Equal(t, flags, flagsOf(filepath.Join(root, "f/a")))
}

// What was one file with something that stays cannot be that again, which the plan and undo
// say.
func TestPartedNamesAreTold(t *testing.T) {
	other := otherDisk(t)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "a"), "content")
	require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "stays")))
	c := carrier(folder)
	plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(other)}, named("a"))
	assert.Contains(t, string(plan.Steps[0].Notes), "undo cannot restore them (1)")
	carry(t, c, plan)
	notes := ""
	c.Tell = func(o doing.Outcome) { require.NoError(t, o.Err); notes = o.Notes }
	_, err := act.Undo(context.Background(), c, 1, "h")
	require.NoError(t, err)
	assert.Equal(t, "hard links could not be restored (1)", notes)
}

// Where a rename was planned and the file system refuses it, the action says what the plan
// could not, or leaves it with --strict; and undo that is killed at its very end says so
// when it is called again.
func TestPartedNamesAreToldWhereItIsCopiedUnplanned(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "a"), "content")
	require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "stays")))
	c := carrier(folder)
	refuses := func() error { return unix.EXDEV }
	c.Calls = at("Rename", 0, refuses)
	into := exact.Text(filepath.Join(folder, "into"))
	_, wrong := carry(t, c, planOf(t, c, root, plans.Move, plans.Options{Into: into, Strict: true}, named("a")))
	assert.Equal(t, "something of it would be lost there: the file system could not move it, so frank copied it; hard links to files that stay are lost (1)", wrong["a"])
	notes := ""
	tell := func(o doing.Outcome) { require.NoError(t, o.Err); notes = o.Notes }
	plan := planOf(t, c, root, plans.Move, plans.Options{Into: into}, named("a"))
	c.Calls, c.Tell = at("Rename", 0, refuses), tell
	_, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	assert.Equal(t, "the file system could not move it, so frank copied it; hard links to files that stay are lost (1)", notes)

	root = filepath.Join(folder, "another")
	write(t, filepath.Join(root, "a"), "content")
	require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "stays")))
	plan = planOf(t, c, root, plans.Move, plans.Options{Into: into + "/another"}, named("a"))
	c.Calls, c.Tell = &sys.Calls{}, tell
	result, err := act.CarryOut(context.Background(), c, plan)
	require.NoError(t, err)
	assert.Empty(t, notes)
	first := true
	kill := &sys.Calls{Before: func(call sys.Call) error {
		if call.Name == "Rename" && first {
			first = false
			return unix.EXDEV
		}
		if left, _ := os.ReadDir(filepath.Join(string(into), "another")); len(left) == 0 {
			panic(errKilled) // it is back, and the copy it was made from gone
		}
		return nil
	}}
	c.Calls = kill
	require.True(t, killedOnce(t, c, func() { act.Undo(context.Background(), c, result.Journal, "h") }))
	_, err = act.Undo(context.Background(), c, result.Journal, "h")
	require.NoError(t, err)
	assert.Equal(t, "hard links could not be restored (1)", notes)
	assert.Equal(t, "content", read(t, filepath.Join(root, "a")))
}

// Of two names of a file, one comes back as a copy and the other by a rename: they are two
// files now, whichever of them is first, and however they went.
func TestUndoByCopyingPartsNames(t *testing.T) {
	for _, copies := range [][]string{{"undo a"}, {"undo b"}, {"do a", "do b", "undo a"}, {"do a", "do b", "undo b"}, {"do a"}, {"do b"}} {
		t.Run(strings.Join(copies, ", "), func(t *testing.T) {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			write(t, filepath.Join(root, "a"), "content")
			require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "b")))
			c := carrier(folder)
			said, asked := "", "do "
			c.Tell = func(o doing.Outcome) { require.NoError(t, o.Err); said += o.Notes }
			refused := map[string]bool{}
			c.Calls = &sys.Calls{Before: func(call sys.Call) error {
				if what := asked + call.On; call.Name == "Rename" && slices.Contains(copies, what) && !refused[what] {
					refused[what] = true
					return unix.EXDEV
				}
				return nil
			}}
			plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(filepath.Join(folder, "into"))}, func(e *entry.Entry) bool { return !e.Self })
			_, err := act.CarryOut(context.Background(), c, plan)
			require.NoError(t, err)
			assert.Equal(t, len(copies) == 1 && strings.HasPrefix(copies[0], "do"), strings.Contains(said, "hard links"), said)
			asked, said = "undo ", ""
			_, err = act.Undo(context.Background(), c, 1, "h")
			require.NoError(t, err)
			assert.Contains(t, said, "hard links could not be restored (1)")
		})
	}
}

// A folder that the file system does not rename is not copied once things in it have other
// names: undo would not know the copies for what it has renamed.
func TestFolderOfRenamedIsNotCopied(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, ".f/.a"), "content")
	c := carrier(folder)
	c.Calls = &sys.Calls{Before: func(call sys.Call) error {
		if call.Name == "Rename" && call.On == ".f" {
			return unix.EXDEV
		}
		return nil
	}}
	_, wrong := carry(t, c, planOf(t, c, root, plans.Reveal, plans.Options{}, func(e *entry.Entry) bool { return !e.Self }))
	assert.Equal(t, "the file system could not move this folder; frank did not copy it either, because other steps renamed something in it", wrong[".f"])
	assert.Equal(t, "content", read(t, filepath.Join(root, ".f/a")))
	_, wrong = carry(t, c, planOf(t, c, root, plans.Reveal, plans.Options{}, named(".f")))
	assert.Empty(t, wrong)
	assert.Equal(t, "content", read(t, filepath.Join(root, "f/a")))
}

// A spare of two names becomes two names of what stays, and undo makes it one file of two
// names again.
func TestClearASpareOfTwoNames(t *testing.T) {
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	moment := time.Unix(1_600_000_000, 0)
	for _, name := range []string{"keeper", "x1"} {
		write(t, filepath.Join(root, name), "same")
		require.NoError(t, os.Chtimes(filepath.Join(root, name), moment, moment))
	}
	require.NoError(t, os.Link(filepath.Join(root, "x1"), filepath.Join(root, "x2")))
	c := carrier(folder)
	entries := found(t, root, func(*entry.Entry) bool { return true })
	keepers := map[*entry.Entry]*entry.Entry{entries[1]: entries[0], entries[2]: entries[0]}
	planner := &doing.Planner{Action: plans.Clear, Host: "h", Options: plans.Options{By: plans.ByLinks}}
	act.SetKeepers(planner, keepers)
	plan, err := act.MakePlan(context.Background(), planner, entries[1:])
	require.NoError(t, err)
	result, wrong := carry(t, c, plan)
	assert.Empty(t, wrong)
	assert.Equal(t, 2, result.Done)
	inode := func(name string) uint64 {
		var st unix.Stat_t
		require.NoError(t, unix.Stat(filepath.Join(root, name), &st))
		return st.Ino
	}
	assert.Equal(t, inode("keeper"), inode("x2"))
	_, err = act.Undo(context.Background(), c, 1, "h")
	require.NoError(t, err)
	assert.Equal(t, inode("x1"), inode("x2"))
	assert.NotEqual(t, inode("keeper"), inode("x2"))
}

// What takes the name of an entry after it was looked at is neither altered nor removed.
func TestActsOnWhatItLookedAt(t *testing.T) {
	moment := exact.Time{Sec: 1_500_000_000}
	for call, one := range map[string]struct {
		action plans.Action
		o      plans.Options
	}{
		"SetOwner":       {plans.Own, plans.Options{Owner: "1001:1001"}},
		"SetPermissions": {plans.Permit, plans.Options{Mode: "0777"}},
		"SetTimes":       {plans.Stamp, plans.Options{Modified: &moment}},
		"Rename":         {plans.Remove, plans.Options{ForGood: true}},
		"Unlink":         {plans.Remove, plans.Options{ForGood: true}},
	} {
		t.Run(call, func(t *testing.T) {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			write(t, filepath.Join(root, "a"), "meant")
			write(t, filepath.Join(folder, "other"), "not meant")
			require.NoError(t, os.Chmod(filepath.Join(folder, "other"), 0o640))
			var before unix.Stat_t
			require.NoError(t, unix.Stat(filepath.Join(folder, "other"), &before))
			c := carrier(folder)
			plan := planOf(t, c, root, one.action, one.o, named("a"))
			c.Calls = at(call, 0, func() error {
				os.Rename(filepath.Join(root, "a"), filepath.Join(root, "aside"))
				return os.Link(filepath.Join(folder, "other"), filepath.Join(root, "a"))
			})
			act.CarryOut(context.Background(), c, plan)
			var now unix.Stat_t
			require.NoError(t, unix.Stat(filepath.Join(root, "a"), &now), "it stays")
			assert.Equal(t, before.Ino, now.Ino)
			assert.Equal(t, fmt.Sprint(before.Uid, before.Mode, before.Mtim), fmt.Sprint(now.Uid, now.Mode, now.Mtim))
		})
	}
}

// What a command writes is bounded in memory, and one that leaves something running has run.
func TestOutputIsBounded(t *testing.T) {
	folder := t.TempDir()
	write(t, filepath.Join(folder, "tree/a"), "a")
	c := carrier(folder)
	run := func(words ...exact.Text) verbs.Ran {
		plan := planOf(t, c, filepath.Join(folder, "tree"), plans.Run, plans.Options{Command: words}, named("a"))
		var ran verbs.Ran
		_, err := verbs.RunAll(context.Background(), c, plan, verbs.Running{Jobs: 1}, func(r verbs.Ran) { ran = r })
		require.NoError(t, err)
		return ran
	}
	much := run("head", "-c", "50000000", "/dev/zero")
	assert.True(t, much.Cut)
	assert.LessOrEqual(t, cap(much.Output), 4<<20)
	left := run("sh", "-c", "sleep 3 & echo ran")
	assert.True(t, left.Began && left.Left)
	assert.NoError(t, left.Err)
	assert.Equal(t, "ran", strings.TrimSpace(string(left.Output)))
}
