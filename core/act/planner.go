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

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/live"
	"frankledger/core/source"
)

// Planner makes plans.
type Planner struct {
	Action  Action
	Options Options
	Host    string
	Home    string            // full path of the home folder
	Mask    entry.Permissions // that a mode without who is limited by

	// Hidden are the hidden names of all folders that entries are in. It may be
	// nil.
	Hidden *HiddenNames

	mode func(p entry.Permissions, folder bool) entry.Permissions
	real map[*entry.Place]string // folders of places, with links followed
}

// planning is one goroutine's share of a plan.
type planning struct {
	*Planner
	ctx     context.Context
	folders folders
	names   map[string]struct{} // in the folder that steps go to, where they are many
	namesOf string
	missed  int                 // names asked for in this folder
	targets map[string]struct{} // where steps go to
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
	plan := &Plan{Version: planVersion, Action: p.Action, Host: exact.Text(p.Host), Options: p.Options}
	outermost := p.Action == Move || p.Action == Remove || p.Action == Hide
	above := map[string]bool{} // folders that are acted on
	first := &planning{Planner: p, ctx: ctx, targets: map[string]struct{}{}}
	defer first.folders.close()
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
		if met(full) {
			continue
		}
		if outermost && covered(above, full) {
			plan.Covered++
			continue
		}
		s := made.of(e, p.through(e, full))
		plan.Steps = append(plan.Steps, s)
		if e.Kind != entry.KindFolder && p.Action != Move && !p.Options.Number {
			later = append(later, s)
			continue
		}
		if first.fill(s); s.Refused == "" && outermost && e.Kind == entry.KindFolder {
			above[full] = true
		}
	}
	p.fillAll(ctx, later)
	if _, err := os.Lstat(string(p.Options.Into)); p.Action == Move && errors.Is(err, os.ErrNotExist) {
		plan.Makes = true
	}
	return plan, ctx.Err()
}

// again returns a function that tells whether a path was met before, as it can be
// where there are several places.
func again(entries []*entry.Entry) func(full string) bool {
	if !slices.ContainsFunc(entries, func(e *entry.Entry) bool { return e.Folder.Place != entries[0].Folder.Place }) {
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
// by the same one.
func (p *Planner) fillAll(ctx context.Context, steps []*Step) {
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
			one := &planning{Planner: p, ctx: ctx, targets: map[string]struct{}{}}
			defer one.folders.close()
			for _, s := range share {
				if ctx.Err() != nil {
					return
				}
				one.fill(s)
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

// covered tells whether a path lies in one of the folders.
func covered(above map[string]bool, full string) bool {
	if len(above) == 0 {
		return false
	}
	for dir := path.Dir(full); dir != "/"; dir = path.Dir(dir) {
		if above[dir] {
			return true
		}
	}
	return above["/"]
}

// pathOf returns the full path of a folder, with no link on the way to it, or of
// the one that a place itself lies in.
func (p *Planner) pathOf(folder *entry.Folder, self bool) string {
	place := folder.Place
	real, known := p.real[place]
	if !known {
		real = place.Full
		if self {
			real = path.Dir(real)
		}
		if followed, err := filepath.EvalSymlinks(real); err == nil {
			real = followed
		}
		p.real[place] = real
	}
	return path.Join(real, folder.Way())
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
		Modified: exact.Time(e.Modified), Accessed: exact.Time(e.Accessed), Mode: mode, Entry: e}
	return s
}

// Why a step is refused when it is planned.
var (
	errNotKnown     = errors.New("too little is known of it")
	errHidden       = errors.New("it is hidden already")
	errNotHidden    = errors.New("it is not hidden")
	errNameless     = errors.New("nothing would be left of its name")
	errHere         = errors.New("it is there already")
	errInItself     = errors.New("a folder cannot go into itself")
	errRoot         = errors.New("it is the root of everything")
	errHome         = errors.New("the home folder is in it; --really")
	errMount        = errors.New("another file system is mounted there; --really")
	errSameMode     = errors.New("it has these permissions already")
	errNoMode       = errors.New("a link has no permissions of its own; --through")
	errSameTime     = errors.New("it has these times already")
	errSeveral      = errors.New("another step of the plan would give the same name")
	errNothingThere = errors.New("the link leads to nothing")
)

// decide fills in what a step does, or returns why it is refused.
func (p *planning) decide(s *Step, e *entry.Entry) error {
	if !e.Known.Has(entry.FactStatus) {
		return errNotKnown
	}
	if p.Options.Through && e.Kind == entry.KindLink {
		if err := s.lookThrough(); err != nil {
			return err
		}
	}
	dir, name := path.Split(string(s.Path))
	switch p.Action {
	case Hide:
		if entry.HiddenName(name) {
			return errHidden
		}
		return p.goes(s, dir+"."+name)
	case Reveal:
		plain := strings.TrimLeft(name, ".")
		switch {
		case plain == name:
			return errNotHidden
		case plain == "":
			return errNameless
		}
		return p.goes(s, dir+plain)
	case Move:
		to := name
		if p.Options.KeepFolders && !e.Self {
			to = e.Way()
		}
		full := path.Join(string(p.Options.Into), to)
		switch {
		case full == string(s.Path):
			return errHere
		case strings.HasPrefix(full, string(s.Path)+"/"):
			return errInItself
		}
		if err := p.leave(s, e); err != nil {
			return err
		}
		return p.goes(s, full)
	case Remove:
		return p.leave(s, e)
	case Permit:
		if s.Kind == entry.KindLink.String() {
			return errNoMode
		}
		before, err := entry.ParsePermissions(s.Mode)
		if err != nil {
			return err
		}
		if s.NewMode = p.mode(before, s.Kind == entry.KindFolder.String()).Octal(); s.NewMode == s.Mode {
			return errSameMode
		}
	case Stamp:
		o := &p.Options
		if (o.Modified == nil || *o.Modified == s.Modified) && (o.Accessed == nil || *o.Accessed == s.Accessed) {
			return errSameTime
		}
	}
	return nil
}

// lookThrough makes a step about what its link leads to, whose path it has.
func (s *Step) lookThrough() error {
	var f folders
	defer f.close()
	fd, name, err := f.at(string(s.Path))
	if err != nil {
		return err
	}
	st, err := status(fd, name, false)
	switch {
	case err != nil:
		return err
	case entry.KindOfMode(uint32(st.Mode)) == entry.KindLink:
		return errNothingThere
	}
	s.Kind, s.Inode, s.Device, s.Size = entry.KindOfMode(uint32(st.Mode)).String(), uint64(st.Ino), uint64(st.Dev), st.Size
	s.Modified, s.Accessed, s.Mode = exact.Time(timeOf(st.Mtim)), exact.Time(timeOf(st.Atim)), entry.Permissions(st.Mode&0o7777).Octal()
	return nil
}

// goes has a step go to a path, if that is free, or to a free one like it.
func (p *planning) goes(s *Step, to string) error {
	err := p.free(s, to)
	stem, ext := entry.SplitName(path.Base(to))
	if ext != "" {
		ext = "." + ext
	}
	for n := 2; err != nil && p.Options.Number && n < 10_000; n++ {
		other := path.Join(path.Dir(to), fmt.Sprintf("%s-%d%s", stem, n, ext))
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

// manyNames is how many names are asked for in a folder one by one, before it is
// read.
const manyNames = 4

// free returns an error unless nothing has a path, nor is going to have it.
func (p *planning) free(s *Step, to string) error {
	if _, taken := p.targets[to]; taken {
		return errSeveral
	}
	if p.Hidden != nil && p.Action == Hide {
		if p.Hidden.has(s.Entry.Folder, path.Base(to)) {
			return errTaken
		}
		return nil
	}
	fd, name, err := p.folders.at(to)
	if errors.Is(err, unix.ENOENT) {
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
		if list, dir, err := namesIn(fd, "."); err == nil {
			dir.Close()
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
	_, err = status(fd, name, false)
	switch {
	case err == nil:
		return errTaken
	case errors.Is(err, unix.ENOENT):
		return nil
	}
	return err
}

// leave makes sure that an entry may leave its place, and notes what is in a
// folder.
func (p *planning) leave(s *Step, e *entry.Entry) error {
	full := string(s.Path)
	outright := p.Options.Really && e.Self
	switch {
	case full == "/":
		return errRoot
	case !outright && p.Home != "" && (full == p.Home || strings.HasPrefix(p.Home, full+"/")):
		return errHome
	case e.Kind != entry.KindFolder:
		return nil
	}
	fd, name, err := p.folders.at(full)
	if err != nil {
		return err
	}
	if !outright && isMountPoint(fd, name) {
		return errMount
	}
	s.Holds, err = holds(p.ctx, full)
	return err
}

var errUnread = errors.New("not all that is in it could be read")

// holds sums up what is in a folder.
func holds(ctx context.Context, full string) (*Holds, error) {
	s, err := live.Open(full, 0)
	if err != nil {
		return nil, err
	}
	var mu sync.Mutex
	var visitors []*Holds
	report, err := s.Read(ctx, source.Request{Facts: entry.FactStatus, Depth: source.AllDepths}, source.SinkFunc(func() source.Visitor {
		h := &Holds{}
		mu.Lock()
		visitors = append(visitors, h)
		mu.Unlock()
		return func(entries []entry.Entry) error {
			for i := range entries {
				h.add(&entries[i])
			}
			return nil
		}
	}))
	if err != nil {
		return nil, err
	}
	if len(report.Problems) > 0 {
		return nil, errUnread
	}
	all := &Holds{}
	for _, h := range visitors {
		all.Entries += h.Entries
		all.Size += h.Size
		all.Newest = later(all.Newest, h.Newest)
	}
	return all, nil
}

func (h *Holds) add(e *entry.Entry) {
	h.Entries++
	if e.HasSize() {
		h.Size += e.Size
	}
	h.Newest = later(later(h.Newest, exact.Time(e.Modified)), exact.Time(e.Changed))
}

func later(a, b exact.Time) exact.Time {
	if entry.Time(a).Compare(entry.Time(b)) < 0 {
		return b
	}
	return a
}

// TimesOf returns when a file was last modified and last read.
func TimesOf(given string) (modified, accessed exact.Time, err error) {
	st, err := status(unix.AT_FDCWD, given, true)
	return exact.Time(timeOf(st.Mtim)), exact.Time(timeOf(st.Atim)), err
}
