package act

import (
	"context"
	"errors"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sys/unix"

	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/act/verbs"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// MakePlan makes a plan for entries, which must come with their status, in order of
// their paths.
func MakePlan(ctx context.Context, p *doing.Planner, entries []*entry.Entry) (*plans.Plan, error) {
	p.Real = map[*entry.Place]string{}
	verb := verbs.All[p.Action]
	if v, is := verb.(doing.Preparer); is {
		var err error
		if verb, err = v.Prepare(p); err != nil {
			return nil, err
		}
	}
	traits, undoable := verb.Traits(), doing.ForGood(verb, &p.Options) == nil
	plan := &plans.Plan{Version: plans.Version, Action: p.Action, Host: exact.Text(p.Host), Options: p.Options, Volumes: map[uint64]string{}}
	above := coverage{several: severalPlaces(entries), paths: map[string]bool{}, folders: map[*entry.Folder]bool{}}
	first := p.Planning(ctx, verb)
	defer first.Close()
	met := again(entries)
	made := steps{octal: map[entry.Permissions]string{}}
	plan.Steps = make([]*plans.Step, 0, len(entries))
	later := make([]*plans.Step, 0, len(entries)) // those that nothing else depends on
	var last *entry.Folder
	prefix := "" // path of that folder
	for _, e := range entries {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if e.Folder != last || e.Self {
			last, prefix = e.Folder, pathOf(p, e.Folder, e.Self)
		}
		full := strings.TrimSuffix(prefix, "/") + "/" + e.Name
		if e.Self && e.Folder.Place.Full == "/" {
			full = "/"
		}
		if e.Self && (p.ThroughPlaces || strings.HasSuffix(e.Folder.Place.Given, "/")) && e.Folder.Place.Real != "" {
			full = e.Folder.Place.Real
		}
		if met(full) {
			continue
		}
		if traits.Outermost && above.covers(e, full) {
			plan.Covered++
			continue
		}
		s := made.of(e, through(p, e, full))
		if undoable && p.Spares == nil && p.Keepers == nil {
			s.Changed = exact.Time{} // it is only looked at where nothing takes back what is done
		}
		plan.Steps = append(plan.Steps, s)
		if _, known := plan.Volumes[s.Device]; !known {
			plan.Volumes[s.Device] = first.VolumeOf(s).ID
		}
		if e.Kind != entry.KindFolder && !traits.InTurn && !p.Options.Number {
			later = append(later, s)
			continue
		}
		if first.Fill(s); s.Refused == "" && traits.Outermost && e.Kind == entry.KindFolder {
			above.add(e, full)
		}
	}
	fillAll(ctx, p, verb, later, first.Linked)
	plan.Steps = slices.DeleteFunc(plan.Steps, func(s *plans.Step) bool {
		if s.Same {
			plan.Same++
		}
		return s.Same
	})
	if !traits.Copies {
		first.NoteLinks()
	}
	if v, is := verb.(doing.Settler); is {
		v.Settle(plan)
	}
	if p.Options.Strict {
		refuseLosses(plan)
	}
	doing.RefuseCircles(plan)
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

// PlanCreating makes a plan to make empty files and, of paths that end with a slash, folders. The paths are full.
func PlanCreating(ctx context.Context, p *doing.Planner, paths []string) (*plans.Plan, error) {
	verb := verbs.All[p.Action]
	plan := &plans.Plan{Version: plans.Version, Action: p.Action, Host: exact.Text(p.Host), Options: p.Options}
	planning := p.Planning(ctx, verb)
	defer planning.Close()
	for _, full := range paths {
		s := &plans.Step{Path: exact.Text(path.Clean(full)), Kind: entry.KindFile.String()}
		if strings.HasSuffix(full, "/") {
			s.Kind = entry.KindFolder.String()
		}
		if folder, err := filepath.EvalSymlinks(path.Dir(string(s.Path))); err == nil {
			s.Path = exact.Text(path.Join(folder, path.Base(string(s.Path))))
		}
		planning.FillNew(s)
		plan.Steps = append(plan.Steps, s)
	}
	return plan, ctx.Err()
}

// PlanClearing makes a plan to clear spares; another entry stays for each.
func PlanClearing(ctx context.Context, p *doing.Planner, spares []*entry.Entry, keepers map[*entry.Entry]*entry.Entry) (*plans.Plan, error) {
	p.Keepers = keepers
	return MakePlan(ctx, p, spares)
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
func fillAll(ctx context.Context, p *doing.Planner, verb doing.Verb, steps []*plans.Step, linked map[entry.Node]*doing.Linked) {
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
			one := p.Planning(ctx, verb)
			defer one.Close()
			for _, s := range share {
				if ctx.Err() != nil {
					return
				}
				one.Fill(s)
			}
			mu.Lock()
			defer mu.Unlock()
			for n, l := range one.Linked {
				if all := linked[n]; all != nil {
					all.Met += l.Met
					all.Steps = append(all.Steps, l.Steps...)
				} else {
					linked[n] = l
				}
			}
		})
	}
	group.Wait()
}

// pathOf returns the full path of a folder, with no link on the path to it, or of
// the one that a place itself lies in.
func pathOf(p *doing.Planner, folder *entry.Folder, self bool) string {
	place := folder.Place
	at, known := p.Real[place]
	if !known {
		at = place.Full
		if self {
			at = path.Dir(at)
		}
		if followed, err := filepath.EvalSymlinks(at); err == nil {
			at = followed
		}
		p.Real[place] = at
	}
	return path.Join(at, folder.Relative())
}

// through returns the path that is acted on: with Through, of what a link leads
// to.
func through(p *doing.Planner, e *entry.Entry, full string) string {
	if p.Options.Through && e.Kind == entry.KindLink {
		if followed, err := filepath.EvalSymlinks(full); err == nil {
			return followed
		}
	}
	return full
}

// steps makes steps, many at a time.
type steps struct {
	room  []plans.Step
	octal map[entry.Permissions]string
}

// of returns a step about an entry.
func (m *steps) of(e *entry.Entry, full string) *plans.Step {
	if len(m.room) == 0 {
		m.room = make([]plans.Step, 256)
	}
	s := &m.room[0]
	m.room = m.room[1:]
	mode, known := m.octal[e.Permissions]
	if !known {
		mode = e.Permissions.Octal()
		m.octal[e.Permissions] = mode
	}
	*s = plans.Step{Path: exact.Text(full), Kind: e.Kind.String(), Inode: e.Inode, Device: e.Device, Size: e.Size,
		Modified: exact.Time(e.Modified), Accessed: exact.Time(e.Accessed), Changed: exact.Time(e.Changed), Mode: mode, Entry: e}
	if e.Known.Has(entry.FactCreated) && e.More != nil {
		s.Born = exact.Time(e.More.Created)
		e.ForgetCreated()
	}
	return s
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

// refuseLosses refuses steps that would lose something.
func refuseLosses(p *plans.Plan) {
	for _, s := range p.Steps {
		if s.Notes != "" && s.Refused == "" {
			s.Refused, s.Notes = s.Notes, ""
		}
	}
}
