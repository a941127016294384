package act_test

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

var (
	tortureFor  = flag.Duration("torture", 2*time.Second, "how long TestTorture goes on")
	tortureSeed = flag.Uint64("torture-seed", 0, "the first seed of TestTorture; by default another one each time that it goes on for longer than usual")
)

// TestTorture makes random trees, with hard links, access lists, attributes, long
// names and odd times, some with something mounted in them, and does random actions,
// while calls of the system fail or all of a kind do from some call on, the program
// is killed or asked to stop, or others change what is there, at random calls; and
// then undoes it, killed once or twice on the way. After each, no content is lost
// that was not to be removed, nothing outside is touched, nobody may do more than
// before, the journal says what the disk says, and undo has given all back or says
// what it could not.
func TestTorture(t *testing.T) {
	if testing.Short() {
		t.Skip("not in short tests")
	}
	other, err := os.MkdirTemp("/dev/shm", "frank-torture-")
	require.NoError(t, err)
	defer os.RemoveAll(other)
	seed := *tortureSeed
	if seed == 0 && *tortureFor > 2*time.Second {
		seed = uint64(time.Now().UnixNano())
	}
	counts := map[string]int{}
	begun := time.Now()
	for ; time.Since(begun) < *tortureFor && !t.Failed(); seed++ {
		r := &torture{T: t, seed: seed, random: rand.New(rand.NewPCG(seed, 12)), other: filepath.Join(other, fmt.Sprint(seed)), counts: counts}
		r.run()
		counts["runs"]++
	}
	t.Logf("%v", counts)
}

// torture is one run.
type torture struct {
	*testing.T
	seed          uint64
	random        *rand.Rand
	folder, other string
	root, outside string
	trace         []string
	counts        map[string]int
	meddled       bool
	away, altered int  // how often something was moved away, or its content altered
	told          bool // that something could not be kept
	ctx           context.Context
	stop          func()
}

func (r *torture) failf(format string, args ...any) {
	r.Helper()
	r.Errorf("seed %d: %s\n  %s", r.seed, fmt.Sprintf(format, args...), strings.Join(r.trace, "\n  "))
}

func (r *torture) note(format string, args ...any) {
	r.trace = append(r.trace, fmt.Sprintf(format, args...))
}

// seen is what the kernel says of an entry.
type seen struct {
	mode    uint32
	line    string // owner, attributes, target or content
	content string
	times   string
	folder  bool
}

// see looks at all that is in a folder.
func (r *torture) see(root string) map[string]seen {
	all := map[string]seen{}
	filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return nil
		}
		var st unix.Stat_t
		if unix.Lstat(path, &st) != nil {
			return nil
		}
		s := seen{mode: st.Mode, times: fmt.Sprint(st.Mtim), folder: d.IsDir()}
		switch st.Mode & unix.S_IFMT {
		case unix.S_IFREG:
			content, _ := os.ReadFile(path)
			s.content = string(content)
		case unix.S_IFLNK:
			s.content, _ = os.Readlink(path)
			s.content = "-> " + s.content
		}
		s.line = fmt.Sprint(st.Uid, " ", st.Gid, " ", s.content)
		if st.Mode&unix.S_IFMT != unix.S_IFLNK {
			room := make([]byte, 1024)
			for _, key := range []string{"user.note", sys.AccessList, sys.DefaultList} {
				if n, err := unix.Lgetxattr(path, key, room); err == nil {
					s.line += fmt.Sprintf(" %s=%x", key, room[:n])
				}
			}
		}
		all[strings.TrimPrefix(path, root)] = s
		return nil
	})
	return all
}

// contents returns all content that there is anywhere, with the permissions of
// each.
func (r *torture) contents() map[string]uint32 {
	all := map[string]uint32{}
	for _, root := range []string{r.folder, r.other} {
		for path, s := range r.see(root) {
			if s.content != "" && !strings.HasPrefix(path, "/journal") {
				all[s.content] |= s.mode & 0o7777
			}
		}
	}
	return all
}

// grow makes a tree.
func (r *torture) grow() {
	random := r.random
	folders := []string{r.root}
	var files []string
	must := func(err error) { require.NoError(r, err, "seed %d", r.seed) }
	must(os.MkdirAll(r.root, 0o755))
	for i := range 5 + random.IntN(30) {
		in := folders[random.IntN(len(folders))]
		name := filepath.Join(in, []string{"", ".", "-", "a b\n", "\xff", strings.Repeat("long", 61)}[random.IntN(6)]+fmt.Sprint("n", random.IntN(30))+[]string{"", ".txt", ".tar.gz"}[random.IntN(3)])
		if _, err := os.Lstat(name); err == nil || len(filepath.Base(name)) > 255 {
			continue
		}
		switch k := random.IntN(9); {
		case k < 3:
			must(os.Mkdir(name, os.FileMode(0o700|random.IntN(0o100))))
			folders = append(folders, name)
			if random.IntN(6) == 0 {
				must(unix.Setxattr(name, sys.DefaultList, accessList(7, 5, 7, 0, map[uint32]uint16{1001: uint16(random.IntN(8))}, nil), 0))
			}
		case k == 3:
			must(os.Symlink([]string{r.outside, "n1", "../..", r.outside + "/file"}[random.IntN(4)], name))
		case k == 4 && len(files) > 0:
			must(os.Link(files[random.IntN(len(files))], name))
		default:
			content := fmt.Sprintf("content %d of %d", i, r.seed)
			if random.IntN(8) == 0 {
				content += strings.Repeat("\x00", random.IntN(1<<20)) + "end"
			}
			must(os.WriteFile(name, []byte(content), 0o600))
			files = append(files, name)
			must(os.Chown(name, 1000+random.IntN(3), 3000+random.IntN(3)))
			must(os.Chmod(name, os.FileMode(0o400|random.IntN(0o400))))
			if random.IntN(6) == 0 {
				must(unix.Setxattr(name, sys.AccessList, accessList(6, uint16(random.IntN(8)), uint16(random.IntN(8)), 0, map[uint32]uint16{1001: uint16(random.IntN(8))}, nil), 0))
			}
			if random.IntN(6) == 0 {
				must(unix.Setxattr(name, "user.note", []byte(fmt.Sprint("note ", i)), 0))
			}
		}
	}
	must(filepath.WalkDir(r.root, func(path string, d fs.DirEntry, err error) error {
		moment := unix.Timespec{Sec: 1_600_000_000 + random.Int64N(1e8), Nsec: random.Int64N(1e9)}
		switch random.IntN(8) {
		case 0:
			moment.Sec = 4_000_000_000 // in the future
		case 1:
			moment.Sec = -100_000
		}
		return unix.UtimesNanoAt(unix.AT_FDCWD, path, []unix.Timespec{moment, moment}, unix.AT_SYMLINK_NOFOLLOW)
	}))
}

// sabotage is what goes wrong, and at which calls.
type sabotage struct {
	kind string
	at   int
	err  unix.Errno
	only string // calls of that name, from then on
}

// plausible is what a call may fail with; not that nothing is there, which would be
// a lie.
var plausible = []unix.Errno{unix.EIO, unix.ENOSPC, unix.EACCES, unix.EPERM, unix.EROFS, unix.EMFILE, unix.EDQUOT, unix.ELOOP, unix.ESTALE, unix.EBUSY, unix.ENAMETOOLONG, unix.ENOTSUP, unix.EEXIST, unix.ENOTDIR, unix.ENOMEM}

func (r *torture) sabotage(kinds ...string) sabotage {
	s := sabotage{kind: kinds[r.random.IntN(len(kinds))], at: int(math.Exp(r.random.Float64() * 8)), err: plausible[r.random.IntN(len(plausible))]}
	if s.kind == "from then on" {
		s.only = []string{"Write", "Sync", "Unlink", "Rename", "SetOwner", "SetPermissions", "SetTimes", "SetAttribute", "CreateFile", "MakeFolder", "RemoveFolder", "OpenFile", "SyncAll", "Attributes"}[r.random.IntN(14)]
		s.at = 1 + s.at/8
		s.err = []unix.Errno{unix.ENOSPC, unix.EIO, unix.EACCES, unix.EPERM}[r.random.IntN(4)]
	}
	r.note("%+v", s)
	r.counts[s.kind]++
	return s
}

// before returns what does it.
func (r *torture) before(s sabotage) func(sys.Call) error {
	n := 0
	return func(c sys.Call) error {
		r.counts["calls"]++
		if s.only != "" && c.Name != s.only {
			return nil
		}
		if n++; s.kind == "hostile" && n > s.at && n%5 == 0 {
			r.meddle()
			return nil
		}
		if n < s.at || n > s.at && s.only == "" {
			return nil
		}
		if n == s.at {
			r.note("at %s %.40q", c.Name, c.On)
		}
		switch s.kind {
		case "fail", "from then on":
			if c.Name == "Rename" && s.err == unix.EIO {
				return unix.EXDEV
			}
			return s.err
		case "kill":
			panic(errKilled)
		case "stop":
			r.stop()
		case "meddle":
			r.meddle()
		}
		return nil
	}
}

// meddle changes something in the tree, as another program might.
func (r *torture) meddle() {
	r.meddled = true
	var paths []string
	for _, root := range []string{r.root, r.other} {
		filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err == nil && path != root {
				paths = append(paths, path)
			}
			return nil
		})
	}
	if len(paths) == 0 {
		return
	}
	path := paths[r.random.IntN(len(paths))]
	info, err := os.Lstat(path)
	if err != nil {
		return
	}
	r.away++
	moved := filepath.Join(r.folder, fmt.Sprint("moved away ", r.away))
	var did error
	what := r.random.IntN(5)
	switch {
	case what == 0: // swapped for a link that leads out
		if did = os.Rename(path, moved); did == nil {
			did = os.Symlink(r.outside, path)
		}
	case what == 1 && info.IsDir():
		did = os.WriteFile(filepath.Join(path, "new"), []byte(fmt.Sprintf("new content of %d", r.seed)), 0o600)
	case what == 2 && info.Mode().IsRegular():
		did = os.WriteFile(path, []byte(fmt.Sprintf("altered content of %d", r.seed)), 0o600)
		r.altered++ // what was there is lost by this, and not by what is tested
	case what == 3:
		did = os.Rename(path, moved)
	default:
		did = os.WriteFile(filepath.Join(filepath.Dir(path), "new"), []byte(fmt.Sprintf("new content of %d", r.seed)), 0o600)
	}
	r.note("meddled %d with %.60q: %v", what, path, did)
}

// kill calls a function that may be killed, and lets go of the journal's lock.
func (r *torture) killable(c *act.Carrier, do func()) (killed bool) {
	defer func() {
		c.Calls.Before = nil
		if p := recover(); p != nil {
			if p != errKilled {
				panic(p)
			}
			killed = true
			numbers, _ := c.Journals.Numbers()
			for _, n := range numbers {
				name := filepath.Join(c.Journals.Folder, fmt.Sprintf("%06d.jsonl", n))
				content, _ := os.ReadFile(name)
				os.Remove(name)
				os.WriteFile(name, content, 0o600)
			}
		}
	}()
	do()
	return false
}

func (r *torture) run() {
	var err error
	r.folder, err = os.MkdirTemp("", "frank-torture-")
	require.NoError(r, err)
	defer os.RemoveAll(r.folder)
	defer os.RemoveAll(r.other)
	if err := unix.Mount(r.folder, r.folder, "", unix.MS_BIND, ""); err != nil {
		r.Skip("nothing can be mounted:", err)
	}
	defer unix.Unmount(r.folder, unix.MNT_DETACH) // so that a trash is in it, whatever happens
	r.root, r.outside = filepath.Join(r.folder, "tree"), filepath.Join(r.folder, "outside")
	require.NoError(r, os.MkdirAll(r.outside, 0o755))
	require.NoError(r, os.WriteFile(filepath.Join(r.outside, "file"), []byte("outside"), 0o644))
	r.grow()
	if r.random.IntN(12) == 0 {
		if disk := r.mount(); disk != "" {
			defer unix.Unmount(disk, unix.MNT_DETACH)
		}
	}
	random := r.random
	moment := exact.Time{Sec: 1_700_000_000, Nsec: 5}
	action := []act.Action{act.Hide, act.Reveal, act.Move, act.Move, act.Move, act.Remove, act.Remove, act.Stamp, act.Permit}[random.IntN(9)]
	o := act.Options{KeepFolders: random.IntN(2) == 0, Number: random.IntN(2) == 0, Modified: &moment, Mode: []string{"u+rwx,g=u,o-r", "0600"}[random.IntN(2)], ForGood: random.IntN(3) == 0}
	across := action == act.Move && random.IntN(3) > 0
	if o.Into = exact.Text(filepath.Join(r.folder, "into")); across {
		o.Into = exact.Text(r.other)
	}
	share := 1 + random.IntN(4)
	r.note("%s for good %v across %v, one in %d", action, o.ForGood, across, share)
	c := &act.Carrier{Journals: act.Journals{Folder: filepath.Join(r.folder, "journal")}, Trash: act.Trash{Home: filepath.Join(r.folder, "trash"), User: os.Geteuid()}, Now: time.Now, Calls: &sys.Calls{}}
	planner := &act.Planner{Action: action, Options: o, Host: "h", Trash: c.Trash, Keep: []string{c.Journals.Folder}}
	plan, err := planner.Plan(context.Background(), found(r.T, r.root, func(*entry.Entry) bool { return random.IntN(share) == 0 }))
	require.NoError(r, err)
	before, contents, outside := r.see(r.root), r.contents(), r.see(r.outside)
	var going []string
	for _, s := range plan.Steps {
		if s.Refused == "" {
			going = append(going, strings.TrimPrefix(string(s.Path), r.root))
		}
	}
	r.ctx, r.stop = context.WithCancel(context.Background())
	defer r.stop()

	c.Tell = func(o act.Outcome) { r.told = r.told || strings.Contains(o.Notes, "could not keep") }
	var result act.Result
	c.Calls.Before = r.before(r.sabotage("none", "fail", "fail", "fail", "from then on", "kill", "kill", "stop", "meddle", "hostile"))
	killed := r.killable(c, func() { result, err = c.CarryOut(r.ctx, plan) })
	r.note("killed %v, %+v, %v", killed, result, err)
	undoing := true
	check := func(when string) {
		r.check(when, before, contents, outside, going, action, o)
	}
	check("done")
	numbers, err := c.Journals.Numbers()
	require.NoError(r, err)
	if len(numbers) == 0 {
		return // nothing was begun
	}
	past, err := c.Journals.Read(numbers[0])
	if err != nil {
		if !r.same(before, r.see(r.root), false) {
			r.failf("no journal was begun, and something was done: %v", err)
		}
		return
	}
	r.agrees(c, past, plan)
	for range random.IntN(3) {
		c.Calls.Before = r.before(r.sabotage("fail", "from then on", "kill", "kill", "stop"))
		r.ctx, r.stop = context.WithCancel(context.Background())
		var undone act.Undoing
		killed = r.killable(c, func() { undone, err = c.Undo(r.ctx, numbers[0], "h") })
		r.note("undo: killed %v, %+v, %v", killed, undone, err)
		r.stop()
		check("half undone")
	}
	var stays []string
	c.Tell = func(o act.Outcome) {
		r.told = r.told || strings.Contains(o.Notes, "could not keep")
		if o.Err != nil {
			stays = append(stays, fmt.Sprintf("%.60q: %v", strings.TrimPrefix(string(o.Step.Path), r.root), o.Err))
		}
	}
	undone, err := c.Undo(context.Background(), numbers[0], "h")
	r.note("undo: %+v, %v, %q", undone, err, stays)
	if err != nil && !errors.Is(err, act.ErrUndone) {
		r.failf("undo: %v", err)
	}
	check("undone")
	if r.meddled || action == act.Remove && o.ForGood || !undoing {
		return // what it could not, it has said; and no content is lost
	}
	if len(stays) > 0 {
		r.failf("undo could not")
	}
	if now := r.see(r.root); !r.same(before, now, true) {
		r.failf("undo gave something else back: %s", r.differences(before, now))
	}
	for _, place := range []string{r.folder, r.other} {
		for path := range r.see(place) {
			if strings.Contains(path, "/.frank-") || strings.HasSuffix(path, ".trashinfo") {
				r.failf("left behind: %s", path)
			}
		}
	}
}

// mount mounts something in the tree.
func (r *torture) mount() string {
	disk := filepath.Join(r.root, "mounted")
	os.Mkdir(disk, 0o755)
	if unix.Mount("tmpfs", disk, "tmpfs", 0, "size=100k") != nil {
		return ""
	}
	os.WriteFile(filepath.Join(disk, "precious"), []byte(fmt.Sprintf("precious content of %d", r.seed)), 0o600)
	return disk
}

// check holds what must be so at any time.
func (r *torture) check(when string, before map[string]seen, contents map[string]uint32, outside map[string]seen, going []string, action act.Action, o act.Options) {
	if !r.same(outside, r.see(r.outside), false) {
		r.failf("%s: something outside was touched: %v", when, r.see(r.outside))
	}
	now := r.contents()
	expendable := map[string]bool{}
	if action == act.Remove && o.ForGood {
		for path, s := range before {
			if slices.ContainsFunc(going, func(gone string) bool { return path == gone || strings.HasPrefix(path, gone+"/") }) {
				expendable[s.content] = true
			}
		}
	}
	lost := 0
	for content, mode := range contents {
		is, there := now[content]
		if !there && !expendable[content] {
			lost++
			if lost > r.altered {
				r.failf("%s: lost: %.60q", when, content)
			}
		}
		if wider := is &^ mode & 0o6077; there && wider != 0 && action != act.Permit && !strings.HasPrefix(content, "->") {
			r.failf("%s: %.60q could be had by %04o, and now by %04o", when, content, mode, is)
		}
	}
}

// agrees holds the journal against the disk.
func (r *torture) agrees(c *act.Carrier, past *act.Past, plan *act.Plan) {
	if r.meddled {
		return
	}
	c.Look(past)
	for _, s := range past.Steps {
		state := s.State
		if s.Looked {
			state = s.Found
		}
		_, here := os.Lstat(string(s.Path))
		_, there := os.Lstat(string(s.To))
		moves := past.Action == act.Hide || past.Action == act.Reveal || past.Action == act.Move || past.Action == act.Remove && !past.Options.ForGood
		wrong := false
		switch state {
		case act.Done:
			wrong = moves && there != nil && !r.movedAlong(past, s) || past.Action == act.Remove && here == nil
		case act.NotBegun, act.Failed:
			wrong = here != nil && !r.movedAlong(past, s)
		case act.Begun:
			wrong = true
		}
		if wrong {
			r.failf("the journal says %s (found %v) of %.60q, where %v and %v", s.State, s.Looked, s.Path, here, there)
		}
	}
}

// movedAlong reports whether a folder above has another name by now.
func (r *torture) movedAlong(past *act.Past, s *act.PastStep) bool {
	return slices.ContainsFunc(past.Steps, func(o *act.PastStep) bool { return strings.HasPrefix(string(s.Path), string(o.Path)+"/") })
}

func (r *torture) same(a, b map[string]seen, loose bool) bool { return r.compare(a, b, loose) == "" }

func (r *torture) differences(a, b map[string]seen) string { return r.compare(a, b, true) }

// compare compares what was seen; of folders, the times can be others.
func (r *torture) compare(a, b map[string]seen, loose bool) string {
	text := ""
	for path, x := range a {
		y, there := b[path]
		switch {
		case !there:
			text += fmt.Sprintf("%.60q is missing; ", path)
		case r.told && x.content == y.content:
		case x.mode != y.mode || x.line != y.line || x.times != y.times && !(loose && x.folder):
			text += fmt.Sprintf("%.60q was %o %.100q %s, is %o %.100q %s; ", path, x.mode, x.line, x.times, y.mode, y.line, y.times)
		}
	}
	for path := range b {
		if _, there := a[path]; !there && !strings.Contains(path, "/mounted/.Trash-") { // that stays
			text += fmt.Sprintf("%.60q is new; ", path)
		}
	}
	return text
}
