package act_test

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"frankledger/core/act"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/trash"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

var (
	tortureFor  = flag.Duration("torture", time.Second, "how long TestTorture goes on")
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
	disks := tortureDisks(t)
	seed := *tortureSeed
	if seed == 0 && *tortureFor > time.Second {
		seed = uint64(time.Now().UnixNano())
	}
	counts := map[string]int{}
	begun := time.Now()
	for ; time.Since(begun) < *tortureFor && !t.Failed(); seed++ {
		r := &torture{T: t, seed: seed, random: rand.New(rand.NewPCG(seed, 12)), counts: counts, added: map[string]bool{}}
		place := r.random.Perm(len(disks))
		r.disk, r.other = disks[place[0]], filepath.Join(disks[place[1]], fmt.Sprint(seed))
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
	disk          string // that the tree is on
	folder, other string
	root, outside string
	into          exact.Text
	added         map[string]bool // content that came in the meantime
	call          sys.Call        // that is about to be made
	said          string          // all that was told
	trace         []string
	counts        map[string]int
	meddled       bool
	away, altered int  // how often something was moved away, or its content altered
	told          bool // that something could not be kept
	apart         bool // that hard links could not be restored
	lost          bool // that anything else could not be kept
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

// sabotage is what goes wrong, and at which calls.
type sabotage struct {
	kind string
	at   int
	err  unix.Errno
	only string // calls of that name, from then on

	refuse int // one in so many renames is refused, as if it led to another disk
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
	if r.random.IntN(6) == 0 {
		s.refuse = 1 + r.random.IntN(3)
	}
	r.note("%+v", s)
	r.counts[s.kind]++
	return s
}

// before returns what does it.
func (r *torture) before(s sabotage) func(sys.Call) error {
	n, renames := 0, 0
	return func(c sys.Call) error {
		r.counts["calls"]++
		r.call = c
		if c.Name == "Rename" && s.refuse > 0 && !strings.HasSuffix(c.On, ".trashinfo") {
			if renames++; renames%s.refuse == 0 {
				return unix.EXDEV
			}
		}
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

// kill calls a function that may be killed, and lets go of the journal's lock.
func (r *torture) killable(c *doing.Carrier, do func()) (killed bool) {
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
	r.folder, err = os.MkdirTemp(r.disk, "frank-torture-")
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
	action := []plans.Action{plans.Hide, plans.Reveal, plans.Rename, plans.Move, plans.Move, plans.Move, plans.Copy, plans.Copy, plans.Remove, plans.Remove, plans.Clear, plans.Clear, plans.Stamp, plans.Permit, plans.Own}[random.IntN(15)]
	o := plans.Options{KeepFolders: random.IntN(2) == 0, Number: random.IntN(2) == 0, Modified: &moment, Mode: []string{"u+rwx,g=u,o-r", "0600"}[random.IntN(2)], ForGood: random.IntN(3) == 0,
		Owner: []string{"1001:3002", "-1:3000", "1002:-1"}[random.IntN(3)], Pattern: exact.Text([]string{"n@n", "@stem.@ext:upper", "n@n:2.@ext"}[random.IntN(3)])}
	across := (action == plans.Move || action == plans.Copy) && random.IntN(3) > 0
	if r.into = exact.Text(filepath.Join(r.folder, "into")); across {
		r.into = exact.Text(r.other)
	}
	if action == plans.Clear && random.IntN(2) == 0 {
		o.By = plans.ByLinks
	}
	o.Into, o.ForGood = r.into, o.ForGood && (action == plans.Remove || action == plans.Clear && o.By == plans.ByRemoving)
	share := 1 + random.IntN(4)
	r.note("%s for good %v by %q across %v, one in %d, on %s, to %s", action, o.ForGood, o.By, across, share, r.disk, r.other)
	c := &doing.Carrier{Journals: journals.Journals{Folder: filepath.Join(r.folder, "journal")}, Trash: trash.Trash{Home: filepath.Join(r.folder, "trash"), User: os.Geteuid()}, Now: time.Now, Calls: &sys.Calls{}}
	planner := &doing.Planner{Action: action, Options: o, Host: "h", Trash: c.Trash, Keep: []string{c.Journals.Folder}, Zone: time.UTC}
	chosen := found(r.T, r.root, func(*entry.Entry) bool { return random.IntN(share) == 0 })
	if action == plans.Clear {
		chosen = r.spares(planner)
	}
	plan, err := act.MakePlan(context.Background(), planner, chosen)
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

	c.Tell = r.hear
	var result doing.Result
	c.Calls.Before = r.before(r.sabotage("none", "fail", "fail", "fail", "from then on", "kill", "kill", "stop", "meddle", "hostile"))
	killed := r.killable(c, func() { result, err = act.CarryOut(r.ctx, c, plan) })
	r.note("killed %v, %+v, %v", killed, result, err)
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
	lossy := r.told
	r.told, r.apart, r.lost = false, false, false // undo says itself what does not come back
	for range random.IntN(3) {
		c.Calls.Before = r.before(r.sabotage("fail", "from then on", "kill", "kill", "stop"))
		r.ctx, r.stop = context.WithCancel(context.Background())
		var undone act.UndoResult
		killed = r.killable(c, func() { undone, err = act.Undo(r.ctx, c, numbers[0], "h") })
		r.note("undo: killed %v, %+v, %v", killed, undone, err)
		r.stop()
		check("half undone")
	}
	var stays []string
	c.Tell = func(o doing.Outcome) {
		r.hear(o)
		if o.Err != nil {
			stays = append(stays, fmt.Sprintf("%.60q: %v", strings.TrimPrefix(string(o.Step.Path), r.root), o.Err))
		}
	}
	undone, err := act.Undo(context.Background(), c, numbers[0], "h")
	r.note("undo: %+v, %v, %q", undone, err, stays)
	if err != nil && !errors.Is(err, doing.ErrUndone) {
		r.failf("undo: %v", err)
	}
	check("undone")
	r.leftIsSaid()
	if r.meddled || o.ForGood {
		return // what it could not, it has said; and no content is lost
	}
	if len(stays) > 0 && lossy && action == plans.Copy {
		return // after a kill, a copy that lacks something is not known for a copy
	}
	if len(stays) > 0 {
		r.failf("undo could not")
	}
	now := r.see(r.root)
	if text := r.differences(before, now); text != "" {
		r.failf("undo gave something else back: %s", text)
	}
	if r.lost && r.exactly(before, now) {
		r.failf("undo says that something is not as before, and all is")
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
func (r *torture) check(when string, before map[string]seen, contents map[string]uint32, outside map[string]seen, going []string, action plans.Action, o plans.Options) {
	if !r.same(outside, r.see(r.outside), false) {
		r.failf("%s: something outside was touched: %v", when, r.see(r.outside))
	}
	now := r.contents()
	expendable := map[string]bool{}
	if o.ForGood {
		for path, s := range before {
			if slices.ContainsFunc(going, func(gone string) bool { return path == gone || strings.HasPrefix(path, gone+"/") }) {
				expendable[s.content] = true
			}
		}
	}
	for content := range r.added {
		if _, there := contents[content]; !there {
			contents[content] = 0o7777
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
		if wider := is &^ mode & 0o6077; there && wider != 0 && action != plans.Permit && !strings.HasPrefix(content, "->") {
			r.failf("%s: %.60q could be had by %04o, and now by %04o", when, content, mode, is)
		}
	}
}

// agrees holds the journal against the disk.
func (r *torture) agrees(c *doing.Carrier, past *journals.Past, plan *plans.Plan) {
	if r.meddled {
		return
	}
	act.Look(c, past)
	for _, s := range past.Steps {
		state := s.State
		if s.Looked {
			state = s.Found
		}
		_, here := os.Lstat(string(s.Path))
		_, there := os.Lstat(string(s.To))
		moves := past.Action == plans.Hide || past.Action == plans.Reveal || past.Action == plans.Move || past.Action == plans.Remove && !past.Options.ForGood
		wrong := false
		switch state {
		case journals.Done:
			wrong = moves && there != nil && !r.movedAlong(past, s) || past.Action == plans.Remove && here == nil
		case journals.NotBegun, journals.Failed:
			wrong = here != nil && !r.movedAlong(past, s) && s.Aside == "" // where that is, is told
		case journals.Begun:
			wrong = true
		}
		if wrong {
			r.failf("the journal says %s (found %v) of %.60q, where %v and %v", s.State, s.Looked, s.Path, here, there)
		}
	}
}

// movedAlong reports whether a folder above has another name by now.
func (r *torture) movedAlong(past *journals.Past, s *journals.PastStep) bool {
	return slices.ContainsFunc(past.Steps, func(o *journals.PastStep) bool { return strings.HasPrefix(string(s.Path), string(o.Path)+"/") })
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
		case loose && x.group != y.group && !r.apart:
			text += fmt.Sprintf("%.60q was one file with %.60q, and is with %.60q; ", path, x.group, y.group)
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

// exactly reports whether nothing but times of folders is other than it was.
func (r *torture) exactly(a, b map[string]seen) bool {
	r.told, r.apart = false, false
	return r.same(a, b, true)
}

// lostWords tell that more was lost than hard links, which may be said too often: what cannot be
// looked at may be apart.
var lostWords = regexp.MustCompile("could not keep.*(lists|attributes|owners|flags|times)")

// hear takes in what is told of a step.
func (r *torture) hear(o doing.Outcome) {
	if o.Err == nil || o.Partly {
		r.told = r.told || strings.Contains(o.Notes, "could not keep")
		r.apart = r.apart || strings.Contains(o.Notes, "hard link")
		r.lost = r.lost || lostWords.MatchString(o.Notes)
	}
	r.said += o.Notes + "\n" + o.Aside + "\n"
	if o.Err != nil {
		r.said += o.Err.Error() + "\n"
	}
}

// leftIsSaid makes sure that whatever is left under a passing name was told.
func (r *torture) leftIsSaid() {
	for _, place := range []string{r.folder, r.other} {
		for path := range r.see(place) {
			name := filepath.Base(path)
			if strings.HasPrefix(name, ".frank-") && !strings.Contains(r.said, name) && !strings.HasPrefix(path, "/moved away") {
				r.failf("left behind, and not told: %s", path)
			}
		}
	}
}

// spares finds files of the same content in the tree, and has a planner keep the first of
// each.
func (r *torture) spares(p *doing.Planner) (spares []*entry.Entry) {
	keepers := map[*entry.Entry]*entry.Entry{}
	first := map[string]*entry.Entry{}
	for _, e := range found(r.T, r.root, func(e *entry.Entry) bool { return e.Kind == entry.KindFile }) {
		content, err := os.ReadFile(e.FullPath())
		require.NoError(r, err)
		switch keeper := first[string(content)]; {
		case keeper == nil:
			first[string(content)] = e
		case keeper.Inode != e.Inode:
			keepers[e], spares = keeper, append(spares, e)
		}
	}
	act.SetKeepers(p, keepers)
	return spares
}
