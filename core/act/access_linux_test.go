package act_test

import (
	"context"
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
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

// accessList returns an access list as the kernel takes it: pairs of what an entry
// is about and what it allows; of users and groups that are named, their number too.
func accessList(owner, group, mask, other uint16, users, groups map[uint32]uint16) []byte {
	list := binary.LittleEndian.AppendUint32(nil, 2)
	add := func(tag, may uint16, id uint32) {
		list = binary.LittleEndian.AppendUint16(binary.LittleEndian.AppendUint16(list, tag), may)
		list = binary.LittleEndian.AppendUint32(list, id)
	}
	add(0x01, owner, 1<<32-1)
	for id := range uint32(4000) {
		if may, named := users[id]; named {
			add(0x02, may, id)
		}
	}
	add(0x04, group, 1<<32-1)
	for id := range uint32(4000) {
		if may, named := groups[id]; named {
			add(0x08, may, id)
		}
	}
	add(0x10, mask, 1<<32-1)
	add(0x20, other, 1<<32-1)
	return list
}

// person is somebody who may try to open things.
type person struct {
	uid, gid uint32
	groups   []uint32
}

var people = []person{{1001, 3001, nil}, {1002, 3002, nil}, {1003, 3003, nil}, {1001, 3003, nil}, {1004, 3004, []uint32{3001}}, {1004, 3004, []uint32{3002, 3003}}, {1005, 3005, nil}, {1005, 0, nil}}

// may tells, for each person, whether the kernel lets them read, write and run, or
// enter, a file.
func may(t *testing.T, path string) (all []string) {
	done := make(chan struct{})
	go func() {
		defer close(done)
		runtime.LockOSThread() // and never unlocked, so that the thread ends with this
		defer unix.RawSyscall(unix.SYS_SETGROUPS, 0, 0, 0)
		for _, p := range people {
			list := append([]uint32{p.gid}, p.groups...)
			unix.RawSyscall(unix.SYS_SETGROUPS, uintptr(len(list)), uintptrOf(list), 0)
			unix.SetfsgidRetGid(int(p.gid))
			unix.SetfsuidRetUid(int(p.uid))
			line := ""
			for _, flags := range []int{unix.O_RDONLY, unix.O_WRONLY} {
				fd, err := unix.Open(path, flags|unix.O_NONBLOCK, 0)
				if line += fmt.Sprint(err == nil || err == unix.EISDIR, " "); err == nil {
					unix.Close(fd)
				}
			}
			_, err := os.Lstat(path + "/.")
			line += fmt.Sprint(err == nil)
			all = append(all, line)
			unix.SetfsuidRetUid(0)
			unix.SetfsgidRetGid(0)
		}
	}()
	<-done
	require.Len(t, all, len(people))
	return all
}

// withoutLists mounts a file system that keeps no access lists.
func withoutLists(t *testing.T) string {
	disk := t.TempDir()
	if err := unix.Mount("ramfs", disk, "ramfs", 0, ""); err != nil {
		t.Skip("nothing can be mounted:", err)
	}
	t.Cleanup(func() { unix.Unmount(disk, unix.MNT_DETACH) })
	require.NoError(t, os.Chmod(disk, 0o777))
	return disk
}

// Whoever could not read, write or enter something before it was moved to another
// disk cannot afterwards, whatever access lists, owners and permissions it has, be
// they kept there or not, and whatever the folder there gives to what is made in it.
func TestAccessNeverWidens(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs files of other owners")
	}
	plain := withoutLists(t)
	kept, err := os.MkdirTemp("/dev/shm", "frank-act-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(kept) })
	require.NoError(t, os.Chmod(kept, 0o777))
	if err := unix.Setxattr(kept, sys.DefaultList, accessList(7, 7, 7, 7, map[uint32]uint16{1001: 7, 1003: 7}, map[uint32]uint16{3002: 7}), 0); err != nil {
		t.Skip("no access lists here:", err)
	}
	random := rand.New(rand.NewPCG(8, 8))
	bits := func() uint16 { return uint16(random.IntN(8)) }
	for seed := range 120 {
		folder := t.TempDir()
		for dir := folder; dir != "/tmp" && dir != "/"; dir = filepath.Dir(dir) {
			require.NoError(t, os.Chmod(dir, 0o755))
		}
		root := filepath.Join(folder, "tree")
		write(t, filepath.Join(root, "thing/inside"), "inside")
		write(t, filepath.Join(root, "alone"), "alone")
		paths := []string{"thing", "thing/inside", "alone"}
		lists := map[string]string{}
		for _, path := range paths {
			full := filepath.Join(root, path)
			require.NoError(t, os.Lchown(full, 1000+random.IntN(3), 3000+random.IntN(3)))
			require.NoError(t, os.Chmod(full, os.FileMode(random.IntN(0o1000))|[]os.FileMode{0, os.ModeSetuid, os.ModeSetgid}[random.IntN(3)]))
			if random.IntN(4) > 0 {
				users, groups := map[uint32]uint16{}, map[uint32]uint16{}
				for range random.IntN(3) {
					users[1001+random.Uint32N(3)] = bits()
					groups[3001+random.Uint32N(3)] = bits()
				}
				list := accessList(bits(), bits(), bits(), bits(), users, groups)
				require.NoError(t, unix.Setxattr(full, sys.AccessList, list, 0))
				lists[path] = string(list)
			}
		}
		before := map[string][]string{}
		for _, path := range paths {
			before[path] = may(t, filepath.Join(root, path))
		}
		calls := &sys.Calls{}
		ownersKept := random.IntN(3) > 0
		if !ownersKept {
			calls.Before = func(c sys.Call) error {
				if c.Name == "SetOwner" {
					return unix.EPERM
				}
				return nil
			}
		}
		into := []string{plain, kept}[seed%2]
		c := carrier(folder)
		c.Calls = calls
		plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(into)}, func(e *entry.Entry) bool { return e.Depth() == 1 })
		for _, s := range plan.Steps {
			path := filepath.Base(string(s.Path))
			if has := lists[path] != "" || path == "thing" && lists["thing/inside"] != ""; has && into == plain {
				assert.Contains(t, s.Notes, "access lists would be lost there")
			} else {
				assert.Empty(t, s.Notes)
			}
		}
		result, wrong := carry(t, c, plan)
		require.Empty(t, wrong)
		require.Equal(t, 2, result.Done)
		for _, path := range paths {
			after := may(t, filepath.Join(into, path))
			for i, line := range after {
				for at := range line {
					if at < len(before[path][i]) && line[at] == 't' && line != before[path][i] {
						compareRights(t, before[path][i], line, fmt.Sprint(seed, " ", path, " ", people[i]))
					}
				}
			}
			if ownersKept && into == kept && lists[path] != "" {
				room := make([]byte, 1024)
				n, err := unix.Getxattr(filepath.Join(into, path), sys.AccessList, room)
				require.NoError(t, err)
				assert.Equal(t, lists[path], string(room[:n]), "the list came along")
			}
			if ownersKept && into == kept {
				assert.Equal(t, before[path], after, "all may do what they could")
			}
		}
		told := false
		c.Tell = func(o doing.Outcome) { told = told || strings.Contains(o.Notes, "could not keep") }
		undone, err := act.Undo(context.Background(), c, result.Journal, "h")
		require.NoError(t, err)
		assert.Equal(t, act.UndoResult{Undone: 2}, undone)
		assert.True(t, told || ownersKept && (into == kept || len(lists) == 0), "what did not come along does not come back, and that is said")
		for _, path := range paths {
			for i, line := range may(t, filepath.Join(root, path)) {
				compareRights(t, before[path][i], line, fmt.Sprint(seed, " undone ", path, " ", people[i]))
			}
		}
	}
}

// compareRights fails if somebody may do more than before.
func compareRights(t *testing.T, before, after, who string) {
	var b, a [3]bool
	fmt.Sscan(before, &b[0], &b[1], &b[2])
	fmt.Sscan(after, &a[0], &a[1], &a[2])
	for i := range a {
		if a[i] && !b[i] {
			t.Errorf("%s: before %s, after %s", who, before, after)
		}
	}
}

// While a copy is being made, nobody else may look into it.
func TestCopiesArePrivate(t *testing.T) {
	other := otherDisk(t)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "top/in/file"), "content")
	require.NoError(t, os.Chmod(filepath.Join(root, "top/in/file"), 0o666))
	require.NoError(t, os.Chmod(filepath.Join(root, "top"), 0o777))
	c := carrier(folder)
	looked, permitted := 0, 0
	c.Calls = &sys.Calls{Before: func(call sys.Call) error {
		if call.Name == "SetPermissions" {
			permitted++
		}
		if permitted == 3 { // the file, the folder in it, and now the copy itself
			return nil
		}
		list, err := os.ReadDir(other)
		require.NoError(t, err)
		for _, d := range list {
			info, err := d.Info()
			require.NoError(t, err)
			assert.Zero(t, info.Mode().Perm()&0o077, "%s", d.Name())
			looked++
		}
		return nil
	}}
	_, wrong := carry(t, c, planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(other)}, named("top")))
	require.Empty(t, wrong)
	assert.Greater(t, looked, 2)
	info, err := os.Stat(filepath.Join(other, "top"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o777), info.Mode().Perm())
}

// Attributes of any kind, file capabilities among them, and hard links come along to
// another disk, within what is moved and across steps; the plan says what does not.
func TestWhatComesAlong(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("needs file capabilities")
	}
	other := otherDisk(t)
	folder := t.TempDir()
	root := filepath.Join(folder, "tree")
	write(t, filepath.Join(root, "a/one"), "one")
	write(t, filepath.Join(root, "tool"), "tool")
	for from, to := range map[string]string{"a/one": "a/again", "tool": "tool too"} {
		require.NoError(t, os.Link(filepath.Join(root, from), filepath.Join(root, to)))
	}
	require.NoError(t, os.Link(filepath.Join(root, "a/one"), filepath.Join(root, "a third")))
	write(t, filepath.Join(root, "partly"), "partly")
	require.NoError(t, os.Link(filepath.Join(root, "partly"), filepath.Join(folder, "stays")))
	capability := "\x01\x00\x00\x02\x00\x04\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00"
	attributes := map[string]string{"user.note": "an attribute", "security.capability": capability}
	for key, value := range attributes {
		if err := unix.Setxattr(filepath.Join(root, "tool"), key, []byte(value), 0); err != nil {
			t.Skip("no attributes here:", err)
		}
	}
	for _, into := range []string{other, withoutLists(t)} {
		c := carrier(folder)
		plan := planOf(t, c, root, plans.Move, plans.Options{Into: exact.Text(into)}, func(e *entry.Entry) bool { return e.Depth() == 1 })
		notes := map[string]string{}
		for _, s := range plan.Steps {
			require.Empty(t, s.Refused)
			notes[filepath.Base(string(s.Path))] = string(s.Notes)
		}
		lost := ""
		if into != other {
			lost = "extended attributes would be lost there (1)"
		}
		assert.Equal(t, map[string]string{"a": "", "a third": "", "tool": lost, "tool too": lost, "partly": "hard links to files that stay here are lost, and undo cannot restore them (1)"}, notes)
		result, wrong := carry(t, c, plan)
		require.Empty(t, wrong)
		inode := func(in, name string) uint64 {
			var st unix.Stat_t
			require.NoError(t, unix.Stat(filepath.Join(in, name), &st))
			return st.Ino
		}
		assert.Equal(t, inode(into, "a/one"), inode(into, "a/again"))
		assert.Equal(t, inode(into, "a/one"), inode(into, "a third"))
		assert.Equal(t, inode(into, "tool"), inode(into, "tool too"))
		if into == other {
			for key, value := range attributes {
				room := make([]byte, 100)
				n, err := unix.Getxattr(filepath.Join(other, "tool too"), key, room)
				require.NoError(t, err)
				assert.Equal(t, value, string(room[:n]))
			}
		}
		undone, err := act.Undo(context.Background(), c, result.Journal, "h")
		require.NoError(t, err)
		assert.Equal(t, act.UndoResult{Undone: 5}, undone)
		assert.Equal(t, inode(root, "a/one"), inode(root, "a/again"))
		assert.Equal(t, inode(root, "tool"), inode(root, "tool too"))
		for key, value := range attributes {
			require.NoError(t, unix.Setxattr(filepath.Join(root, "tool"), key, []byte(value), 0))
		}
		require.NoError(t, os.RemoveAll(c.Journals.Folder))
		require.NoError(t, os.Remove(filepath.Join(folder, "stays"))) // the copy that came back is a file of its own
		require.NoError(t, os.Link(filepath.Join(root, "partly"), filepath.Join(folder, "stays")))
	}
}

// Two names of one file in a plan: what the first step does to it is no change that
// the second one stumbles over.
func TestTwoNamesInOnePlan(t *testing.T) {
	moment := exact.Time{Sec: 1_400_000_000}
	other := otherDisk(t)
	for name, o := range map[string]struct {
		action plans.Action
		plans.Options
	}{
		"permit": {plans.Permit, plans.Options{Mode: "0600"}}, "stamp": {plans.Stamp, plans.Options{Modified: &moment}}, "remove": {plans.Remove, plans.Options{ForGood: true}},
		"trash": {plans.Remove, plans.Options{}}, "across": {plans.Move, plans.Options{Into: exact.Text(other), KeepFolders: true}}, "hide": {plans.Hide, plans.Options{}},
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			root := filepath.Join(folder, "tree")
			write(t, filepath.Join(root, "a"), "content")
			require.NoError(t, os.Link(filepath.Join(root, "a"), filepath.Join(root, "b")))
			write(t, filepath.Join(root, "in/d"), "folder")
			require.NoError(t, os.Link(filepath.Join(root, "in/d"), filepath.Join(root, "in/e")))
			require.NoError(t, os.Link(filepath.Join(root, "in/d"), filepath.Join(root, "c")))
			before := state(t, root)
			c := carrier(folder)
			plan := planOf(t, c, root, o.action, o.Options, func(e *entry.Entry) bool {
				return e.Depth() == 1 && (e.Kind == entry.KindFile || o.action == plans.Move || o.action == plans.Remove)
			})
			result, wrong := carry(t, c, plan)
			assert.Empty(t, wrong)
			assert.Equal(t, len(plan.Steps), result.Done)
			if o.ForGood {
				left, err := os.ReadDir(root)
				require.NoError(t, err)
				assert.Empty(t, left)
				return
			}
			undone, err := act.Undo(context.Background(), c, result.Journal, "h")
			require.NoError(t, err)
			assert.Equal(t, act.UndoResult{Undone: len(plan.Steps)}, undone)
			assert.Equal(t, before, state(t, root))
			var a, b unix.Stat_t
			require.NoError(t, unix.Stat(filepath.Join(root, "a"), &a))
			require.NoError(t, unix.Stat(filepath.Join(root, "b"), &b))
			assert.Equal(t, a.Ino, b.Ino)
		})
	}
}
