package act

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/live"
	"frankledger/core/volume"
)

// Planner makes plans.
type Planner struct {
	Action  Action
	Options Options
	Host    string
	Home    string            // full path of the home folder
	Keep    []string          // full paths of folders that this program writes to while it acts
	Mask    entry.Permissions // that a mode without who is limited by
	Trash   Trash
	Zone    *time.Location // of the days in names; nil for the local one
	Calls   *sys.Calls     // how the system is called; nil for straight

	throughPlaces bool // a place that is a link to a folder is taken for the folder
	// hidden are the hidden names of all folders that entries are in; nil where these are
	// not known.
	hidden *hiddenNames
	// spares say, by full path, what entries were and what stays of each; nil for what
	// are none.
	spares  map[string]live.Spare
	pattern *Pattern
	// keepers are what stays of each entry, in another way.
	keepers map[*entry.Entry]*entry.Entry
	mode    func(p entry.Permissions, folder bool) entry.Permissions
	real    map[*entry.Place]string // folders of places, with links followed
}

// planning is one goroutine's share of a plan.
type planning struct {
	*Planner
	ctx     context.Context
	calls   *sys.Calls
	folders folders // that steps go to
	sources folders // that entries lie in
	cans    *cans
	volumes volumes
	names   map[string]struct{} // in the folder that steps go to, where they are many
	namesOf string
	counted int                    // entries that got a name by a pattern
	missed  int                    // names asked for in this folder
	targets map[string]struct{}    // where steps go to
	kept    map[mountOf]*target    // what can be kept where they go
	linked  map[entry.Node]*linked // files of several names, which are copied
	// keepersIn are the folders that what stays lies in; keptIn is the last of them, as it
	// was given, and with links followed.
	keepersIn folders
	keptIn    struct{ given, full string }
	// mayFrom tells whether anything may be taken out of the last folder that was asked about.
	mayFrom struct {
		path string
		err  error
	}
}

func (p *Planner) planning(ctx context.Context) *planning {
	one := &planning{Planner: p, ctx: ctx, calls: p.Calls, folders: newFolders(p.Calls), sources: newFolders(p.Calls), keepersIn: newFolders(p.Calls), volumes: volumes{},
		targets: map[string]struct{}{}, kept: map[mountOf]*target{}, linked: map[entry.Node]*linked{}}
	one.cans = newCans(p.Trash, &one.folders, true)
	return one
}

func (p *planning) close() {
	p.folders.close()
	p.sources.close()
	p.keepersIn.close()
}

// Plan makes a plan for entries, which must come with their status, in order of
// their paths.
func (p *Planner) Plan(ctx context.Context, entries []*entry.Entry) (*Plan, error) {
	p.real = map[*entry.Place]string{}
	if p.Action == Permit {
		var err error
		if p.mode, err = ParseMode(p.Options.Mode, p.Mask); err != nil {
			return nil, err
		}
	}
	if p.Action == Rename {
		var err error
		if p.pattern, err = ParsePattern(string(p.Options.Pattern), p.zone()); err != nil {
			return nil, err
		}
	}
	plan := &Plan{Version: planVersion, Action: p.Action, Host: exact.Text(p.Host), Options: p.Options, Volumes: map[uint64]string{}}
	verb := verbs[p.Action]
	above := coverage{several: severalPlaces(entries), paths: map[string]bool{}, folders: map[*entry.Folder]bool{}}
	first := p.planning(ctx)
	defer first.close()
	met := again(entries)
	made := steps{octal: map[entry.Permissions]string{}}
	plan.Steps = make([]*Step, 0, len(entries))
	later := make([]*Step, 0, len(entries)) // those that nothing else depends on
	var last *entry.Folder
	prefix := "" // path of that folder
	for _, e := range entries {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if e.Folder != last || e.Self {
			last, prefix = e.Folder, p.pathOf(e.Folder, e.Self)
		}
		full := strings.TrimSuffix(prefix, "/") + "/" + e.Name
		if e.Self && e.Folder.Place.Full == "/" {
			full = "/"
		}
		if e.Self && (p.throughPlaces || strings.HasSuffix(e.Folder.Place.Given, "/")) && e.Folder.Place.Real != "" {
			full = e.Folder.Place.Real
		}
		if met(full) {
			continue
		}
		if verb.outermost() && above.covers(e, full) {
			plan.Covered++
			continue
		}
		s := made.of(e, p.through(e, full))
		if plan.undoable() && p.spares == nil && p.keepers == nil {
			s.Changed = exact.Time{} // it is only looked at where nothing takes back what is done
		}
		plan.Steps = append(plan.Steps, s)
		if _, known := plan.Volumes[s.Device]; !known {
			plan.Volumes[s.Device] = first.volumeOf(s).ID
		}
		if e.Kind != entry.KindFolder && p.Action != Move && p.Action != Copy && p.Action != Rename && !p.Options.Number {
			later = append(later, s)
			continue
		}
		if first.fill(s); s.Refused == "" && verb.outermost() && e.Kind == entry.KindFolder {
			above.add(e, full)
		}
	}
	p.fillAll(ctx, later, first.linked)
	if p.Action != Copy {
		first.noteLinks()
	}
	if p.Action == Rename {
		plan.settleNames()
	}
	if p.Options.Strict {
		plan.refuseLosses()
	}
	plan.refuseCircles()
	for device, id := range plan.Volumes {
		if id == "" {
			delete(plan.Volumes, device)
		}
	}
	if _, err := os.Lstat(string(p.Options.Into)); p.Options.Into != "" && errors.Is(err, os.ErrNotExist) {
		plan.Makes = true
	}
	return plan, ctx.Err()
}

func (p *Planner) zone() *time.Location {
	if p.Zone == nil {
		return time.Local
	}
	return p.Zone
}

// Clear makes a plan to clear spares, of each of which another entry stays.
func (p *Planner) Clear(ctx context.Context, spares []*entry.Entry, keepers map[*entry.Entry]*entry.Entry) (*Plan, error) {
	p.keepers = keepers
	return p.Plan(ctx, spares)
}

// severalPlaces reports whether entries come from more than one place.
func severalPlaces(entries []*entry.Entry) bool {
	return slices.ContainsFunc(entries, func(e *entry.Entry) bool { return e.Folder.Place != entries[0].Folder.Place })
}

// coverage are the folders that are acted on as a whole.
type coverage struct {
	several bool // places, which can lie in one another
	paths   map[string]bool
	folders map[*entry.Folder]bool // whether what is in it goes with it
}

func (c *coverage) add(e *entry.Entry, full string) {
	if c.several || e.Inside == nil {
		c.several = true
		c.paths[full] = true
		return
	}
	c.folders[e.Inside] = true
}

// covers reports whether an entry lies in one of them.
func (c *coverage) covers(e *entry.Entry, full string) bool {
	if !e.Self && c.inside(e.Folder) {
		return true
	}
	if len(c.paths) == 0 {
		return false
	}
	for at := strings.LastIndexByte(full, '/'); at > 0; at = strings.LastIndexByte(full[:at], '/') {
		if c.paths[full[:at]] {
			return true
		}
	}
	return c.paths["/"]
}

func (c *coverage) inside(folder *entry.Folder) bool {
	if folder == nil || len(c.folders) == 0 {
		return false
	}
	is, known := c.folders[folder]
	if !known {
		is = c.inside(folder.Parent)
		c.folders[folder] = is
	}
	return is
}

// again returns a function that reports whether a path was met before, as it can be
// where there are several places.
func again(entries []*entry.Entry) func(full string) bool {
	if !severalPlaces(entries) {
		return func(string) bool { return false }
	}
	met := map[string]bool{}
	return func(full string) bool {
		before := met[full]
		met[full] = true
		return before
	}
}

// fillAll fills in steps on all cores. Those about the same folder are filled in
// by the same one. Files of several names are noted in linked.
func (p *Planner) fillAll(ctx context.Context, steps []*Step, linked map[entry.Node]*linked) {
	var mu sync.Mutex
	cores := runtime.GOMAXPROCS(0)
	var group sync.WaitGroup
	for len(steps) > 0 {
		n := max(1, len(steps)/cores)
		cores--
		for n < len(steps) && steps[n].Entry.Folder == steps[n-1].Entry.Folder {
			n++
		}
		share := steps[:n]
		steps = steps[n:]
		group.Go(func() {
			one := p.planning(ctx)
			defer one.close()
			for _, s := range share {
				if ctx.Err() != nil {
					return
				}
				one.fill(s)
			}
			mu.Lock()
			defer mu.Unlock()
			for n, l := range one.linked {
				if all := linked[n]; all != nil {
					all.met += l.met
					all.steps = append(all.steps, l.steps...)
				} else {
					linked[n] = l
				}
			}
		})
	}
	group.Wait()
}

// fill fills in what a step does, or why it is refused.
func (p *planning) fill(s *Step) {
	if err := p.decide(s, s.Entry); err != nil {
		s.Refused = exact.Text(err.Error())
	}
}

// pathOf returns the full path of a folder, with no link on the path to it, or of
// the one that a place itself lies in.
func (p *Planner) pathOf(folder *entry.Folder, self bool) string {
	place := folder.Place
	at, known := p.real[place]
	if !known {
		at = place.Full
		if self {
			at = path.Dir(at)
		}
		if followed, err := filepath.EvalSymlinks(at); err == nil {
			at = followed
		}
		p.real[place] = at
	}
	return path.Join(at, folder.Relative())
}

// through returns the path that is acted on: with Through, of what a link leads
// to.
func (p *Planner) through(e *entry.Entry, full string) string {
	if p.Options.Through && e.Kind == entry.KindLink {
		if followed, err := filepath.EvalSymlinks(full); err == nil {
			return followed
		}
	}
	return full
}

// steps makes steps, many at a time.
type steps struct {
	room  []Step
	octal map[entry.Permissions]string
}

// fromStatus are the facts of an entry that every step takes over.
const fromStatus = entry.FactStatus | entry.FactCreated

// of returns a step about an entry.
func (m *steps) of(e *entry.Entry, full string) *Step {
	if len(m.room) == 0 {
		m.room = make([]Step, 256)
	}
	s := &m.room[0]
	m.room = m.room[1:]
	mode, known := m.octal[e.Permissions]
	if !known {
		mode = e.Permissions.Octal()
		m.octal[e.Permissions] = mode
	}
	*s = Step{Path: exact.Text(full), Kind: e.Kind.String(), Inode: e.Inode, Device: e.Device, Size: e.Size,
		Modified: exact.Time(e.Modified), Accessed: exact.Time(e.Accessed), Changed: exact.Time(e.Changed), Mode: mode, Entry: e}
	if e.Known.Has(entry.FactCreated) && e.More != nil {
		if s.Born = exact.Time(e.More.Created); e.Known&^fromStatus == 0 { // nothing else is in it
			e.Known, e.More = e.Known&^entry.FactCreated, nil
		}
	}
	return s
}

// Why a step is refused when it is planned.
var (
	errNotKnown     = errors.New("too little is known about it")
	errHidden       = errors.New("it is hidden already")
	errNotHidden    = errors.New("it is not hidden")
	errNameless     = errors.New("nothing would be left of its name")
	errHere         = errors.New("it is there already")
	errInItself     = errors.New("a folder cannot go into itself")
	errRoot         = errors.New("it is the root of everything")
	errHome         = errors.New("the home folder is in it; --really")
	errOwnFiles     = errors.New("the journals of this program are in it")
	errStuck        = errors.New("you may not take it out of the folder it is in")
	errStuckInside  = errors.New("you may not take anything out of this folder, so it cannot all be removed here")
	errMount        = errors.New("another file system is mounted there; --really")
	errMountedTrash = errors.New("a mounted file system cannot go into the trash; --for-good removes everything in it")
	errMountStays   = errors.New("a file system is mounted on it, so its name has to stay")
	errSeveral      = errors.New("another match would get the same name")
	errLongName     = errors.New("its name would be too long")
	errNothingThere = errors.New("the link leads to nothing")
)

// decide fills in what a step does, or returns why it is refused.
func (p *planning) decide(s *Step, e *entry.Entry) error {
	if !e.Known.Has(entry.FactStatus) {
		return errNotKnown
	}
	if p.Options.Through && e.Kind == entry.KindLink {
		if err := p.lookThrough(s); err != nil {
			return err
		}
	}
	if p.spares != nil {
		if err := p.spare(s, e.Folder.Place.Full); err != nil {
			return err
		}
	}
	if k := p.keepers[e]; k != nil {
		if err := p.keeps(s, k.FullPath(), &Keeper{Shown: k.Path(), Inode: k.Inode, Size: k.Size, Modified: exact.Time(k.Modified), Changed: exact.Time(k.Changed)}); err != nil {
			return err
		}
	}
	return verbs[p.Action].plan(p, s, e)
}

// spare makes sure that a file of a list of spares is what it was when the list was
// made, and notes what stays.
func (p *planning) spare(s *Step, full string) error {
	was, listed := p.spares[full]
	if !listed {
		return nil
	}
	if was.Inode != s.Inode || was.Size != s.Size || was.Modified != entry.Time(s.Modified) || was.Changed != entry.Time(s.Changed) {
		return errListed
	}
	if p.Action != Remove && p.Action != Clear {
		return nil
	}
	return p.keeps(s, was.Keeper, &Keeper{Inode: was.KeeperInode, Size: was.Size, Modified: exact.Time(was.KeeperModified), Changed: exact.Time(was.KeeperChanged)})
}

// keeps notes what stays of a step's entry, and makes sure that it is there.
func (p *planning) keeps(s *Step, given string, k *Keeper) error {
	s.Keeper = k
	dir, name := path.Split(given)
	if p.keptIn.given != dir {
		full, err := filepath.EvalSymlinks(dir)
		if err != nil {
			k.Path = exact.Text(given)
			if gone(err) {
				err = errNoKeeper
			}
			return err
		}
		p.keptIn.given, p.keptIn.full = dir, full
	}
	k.Path = exact.Text(path.Join(p.keptIn.full, name))
	st, err := p.keepersIn.status(string(k.Path))
	if gone(err) {
		return errNoKeeper
	}
	if err != nil {
		return err
	}
	return k.check(&st, s.Kind, s.Inode, s.Device)
}

var errListed = errors.New("it has changed since the list was made")

// lookThrough makes a step about what its link leads to, whose path it has.
func (p *planning) lookThrough(s *Step) error {
	st, err := p.sources.status(string(s.Path))
	switch {
	case err != nil:
		return err
	case st.Kind == entry.KindLink:
		return errNothingThere
	}
	s.Kind, s.Inode, s.Device, s.Size = st.Kind.String(), st.Inode, st.Device, st.Size
	s.Modified, s.Accessed, s.Changed, s.Born = exact.Time(st.Modified), exact.Time(st.Accessed), exact.Time(st.Changed), exact.Time(st.Born)
	s.Mode = st.Permissions.Octal()
	return nil
}

// volumeOf returns what is known of the file system of a step's entry.
func (p *planning) volumeOf(s *Step) volume.Volume {
	if known, met := p.volumes[s.Device]; met {
		return known
	}
	if s.Path == "/" {
		return volume.Volume{}
	}
	at, name, err := p.sources.at(string(s.Path))
	if err != nil {
		return volume.Volume{}
	}
	st, err := p.calls.Status(at, name)
	if err != nil || st.Device != s.Device {
		return volume.Volume{}
	}
	return p.volumes.of(p.calls, at, name, &st)
}

// goes has a step go to a path, if that is free, or to a free one like it.
func (p *planning) goes(s *Step, to string) error {
	if p.tooLong(to) {
		return errLongName
	}
	err := p.free(s, to)
	stem, ext := entry.SplitName(path.Base(to))
	if ext != "" {
		ext = "." + ext
	}
	for n := 2; err != nil && p.Options.Number && n < 10_000; n++ {
		other := path.Join(path.Dir(to), fmt.Sprintf("%s-%d%s", stem, n, ext))
		if p.tooLong(other) {
			return errLongName
		}
		if err = p.free(s, other); err == nil {
			to = other
		}
	}
	if s.To = exact.Text(to); err != nil {
		return err
	}
	if p.Action != Hide || p.Options.Number { // else each has a name of its own
		p.targets[to] = struct{}{}
	}
	return nil
}

// tooLong reports whether a name is longer than its folder takes.
func (p *planning) tooLong(full string) bool {
	const shortest = 100 // no file system takes less
	name := path.Base(full)
	if len(name) < shortest {
		return false
	}
	most := 255
	for dir := path.Dir(full); dir != "/"; dir = path.Dir(dir) {
		at, _, err := p.folders.at(dir + "/x")
		if gone(err) {
			continue
		}
		if err == nil {
			if v, err := p.calls.Volume(at); err == nil && v.NameMax > 0 {
				most = v.NameMax
			}
		}
		break
	}
	return len(name) > most
}

// manyNames is how many names are asked for in a folder one by one, before it is
// read.
const manyNames = 4

// free returns an error unless nothing has a path, nor is going to have it.
func (p *planning) free(s *Step, to string) error {
	if _, taken := p.targets[to]; taken {
		return errSeveral
	}
	if p.hidden != nil && p.Action == Hide {
		if p.hidden.has(s.Entry.Folder, path.Base(to)) {
			return errTaken
		}
		return nil
	}
	fd, name, err := p.folders.at(to)
	if gone(err) {
		return nil // nor is there the folder, which will be made
	}
	if err != nil {
		return err
	}
	if p.namesOf != p.folders.path {
		p.namesOf, p.names, p.missed = p.folders.path, nil, 0
	}
	if p.missed++; p.missed > manyNames && p.names == nil {
		p.names = map[string]struct{}{}
		if list, open, err := p.calls.ReadFolder(fd, "."); err == nil {
			p.calls.Close(open)
			for _, name := range list {
				if p.Action != Hide || name[0] == '.' { // to hide gives no other names
					p.names[name] = struct{}{}
				}
			}
		} else {
			p.names, p.missed = nil, 0 // it may not be read
		}
	}
	if p.names != nil {
		if _, taken := p.names[name]; taken {
			return errTaken
		}
		return nil
	}
	st, err := p.calls.Status(fd, name)
	switch {
	case err == nil && p.Action == Rename && isCase(s, &st, to):
		return nil
	case err == nil:
		return errTaken
	case gone(err):
		return nil
	}
	return err
}

// notMounted returns an error if something is mounted on a folder.
func (p *planning) notMounted(s *Step) error {
	if s.Kind != entry.KindFolder.String() {
		return nil // that is looked at when it is done
	}
	if mounted, err := p.mountedOn(s); err != nil || !mounted {
		return err
	}
	return errMountStays
}

// mountedOn reports whether something is mounted on the entry of a step.
func (p *planning) mountedOn(s *Step) (bool, error) {
	st, err := p.sources.status(string(s.Path))
	return err == nil && (st.Mount != p.sources.mount().mount || st.MountRoot), err
}

// leave makes sure that an entry may leave its place, and notes what is in a
// folder: closely, if it is going to be copied.
func (p *planning) leave(s *Step, e *entry.Entry, to *target) error {
	full := string(s.Path)
	outright := p.Options.Really && e.Self
	switch {
	case full == "/":
		return errRoot
	case !outright && p.Home != "" && within(p.Home, full):
		return errHome
	case slices.ContainsFunc(p.Keep, func(keep string) bool { return within(keep, full) }):
		return errOwnFiles
	}
	if err := p.mayLeave(s); err != nil {
		return err
	}
	if s.Kind != entry.KindFolder.String() {
		if to != nil {
			return p.copyNotes(s, to)
		}
		return nil
	}
	mounted, err := p.mountedOn(s)
	if err != nil {
		return err
	}
	if mounted && !outright {
		return errMount
	}
	s.Mounted = mounted
	at, name, err := p.sources.at(full)
	if err != nil {
		return err
	}
	surveyor := &surveyor{calls: p.calls, to: to, mine: ownerKept, noteMounts: true, leaving: to != nil || p.Options.ForGood}
	v, err := surveyor.survey(p.ctx, at, name)
	if err != nil {
		return err
	}
	s.Holds = &v.Holds
	switch {
	case len(v.mounts) > 0:
		return mountsInside(v.mounts)
	case v.stuck != "":
		return fmt.Errorf("%s: %w", v.stuck, errStuckInside)
	case to != nil:
		return p.note(s, v, to)
	}
	return nil
}

// mayLeave returns an error if an entry may not be taken out of the folder that it is in.
func (p *planning) mayLeave(s *Step) error {
	if os.Geteuid() == 0 {
		return nil
	}
	dir, name := path.Split(string(s.Path))
	if p.mayFrom.path != dir {
		at, _, err := p.sources.at(string(s.Path))
		if err != nil {
			return err
		}
		p.mayFrom.path, p.mayFrom.err = dir, p.calls.MayWrite(at)
	}
	may := p.mayFrom.err
	if p.Action == Move && may == nil && s.Kind == entry.KindFolder.String() { // its own entry for the folder above is altered
		at, _, err := p.sources.at(string(s.Path))
		if err != nil {
			return err
		}
		fd, err := p.calls.OpenFolder(at, name)
		if err != nil {
			return err
		}
		may = p.calls.MayWrite(fd)
		p.calls.Close(fd)
	}
	if errors.Is(may, unix.EACCES) || errors.Is(may, unix.EPERM) {
		return errStuck
	}
	return may
}

// mountsInside returns the error that something is mounted in a folder.
func mountsInside(ways []string) error {
	more := ""
	if len(ways) > mostMounts {
		ways, more = ways[:mostMounts], " and more"
	}
	return fmt.Errorf("%w: %s%s", errMountInside, strings.Join(ways, ", "), more)
}

// TimesOf returns when a file was last modified and last read.
func TimesOf(given string) (modified, accessed exact.Time, err error) {
	var st unix.Stat_t
	if err = unix.Stat(given, &st); err != nil {
		return modified, accessed, err
	}
	of := func(t unix.Timespec) exact.Time {
		sec, nsec := t.Unix()
		return exact.Time{Sec: sec, Nsec: uint32(nsec)}
	}
	return of(st.Mtim), of(st.Atim), nil
}
