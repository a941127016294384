package act

import (
	"context"
	"errors"
	"path"
	"slices"
	"time"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/source"
)

// Answer is what a person says to a step.
type Answer uint8

const (
	Yes  Answer = iota
	No          // leave this one
	Rest        // this one and all others
	Stop        // neither this one nor any other
)

// Outcome is what became of a step.
type Outcome struct {
	Step   *Step
	Number int
	To     string // where it is now, if it went somewhere
	Aside  string // full path of what is left of it under a name of no meaning
	Err    error  // nil if it is done
	Partly bool   // something of it was done nevertheless
	Notes  string // what is not as before, though it is done
	Left   bool   // it was answered with no
}

// Carrier carries plans out.
type Carrier struct {
	Journals Journals
	Trash    Trash
	Calls    *sys.Calls // how the system is called; nil for straight
	// Progress is counted up while entries are looked at and copied. It may be
	// nil.
	Progress *source.Progress
	// Ask is asked before each step. It may be nil.
	Ask func(*Step) Answer
	// Begin is told of each step before it is done. It may be nil.
	Begin func(*Step)
	// Tell is told of each step. It may be nil.
	Tell func(Outcome)
	// Now tells the time.
	Now func() time.Time
}

// Result is what was done in all.
type Result struct {
	Journal                             int64 // its number; 0 if nothing was begun
	Done, Partly, Failed, Left, Refused int
	Stopped                             bool // before the end
	// Undoable reports whether anything that was done can be taken back.
	Undoable bool
}

// carrying is one carrying out.
type carrying struct {
	*Carrier
	ctx      context.Context
	plan     *Plan
	verb     verb
	journal  *Journal
	from     folders
	to       folders
	keepers  folders // that what stays lies in
	cans     *cans
	volumes  volumes
	own      ownChanges
	compared []byte               // room for what is compared
	named    map[entry.Node][]int // which steps are about a file, once that is asked
	copies   copies               // where the copies of files of several names are
	moved    map[string]string    // where steps have moved things
	later    []*task              // that are finished when those as deep as they are begun
	set      event                // of the step that is being done
	passed   bool                 // the name for passing may not be free any more
	result   Result
}

// CarryOut does what a plan says. What cannot be done is told, and the rest is
// done all the same. The error is about the journal, without which nothing is
// done, or the context's: then the step that was being done was ended, and taken
// back or said to be partly done.
func (c *Carrier) CarryOut(ctx context.Context, plan *Plan) (Result, error) {
	todo := *plan
	todo.Steps = nil
	run := &carrying{Carrier: c, ctx: ctx, plan: &todo, verb: verbs[plan.Action], from: newFolders(c.Calls), to: newFolders(c.Calls), keepers: newFolders(c.Calls),
		volumes: volumes{}, own: ownChanges{}, copies: copies{}, moved: map[string]string{}}
	run.cans = newCans(c.Trash, &run.to, false)
	defer run.from.close()
	defer run.to.close()
	defer run.keepers.close()
	for _, s := range plan.Steps {
		if s.Refused == "" {
			todo.Steps = append(todo.Steps, s)
		} else {
			run.result.Refused++
		}
	}
	if len(todo.Steps) == 0 {
		return run.result, nil
	}
	if err := ctx.Err(); err != nil {
		return run.result, err
	}
	if slices.ContainsFunc(todo.Steps, func(s *Step) bool { return s.Keeper != nil }) {
		done, err := c.clearingAlone(ctx)
		if err != nil {
			return run.result, err
		}
		defer done()
	}
	before := run.watch()
	var err error
	if run.journal, err = c.Journals.begin(c.Calls, &todo, c.Now(), before); err != nil {
		return run.result, err
	}
	run.result.Journal = run.journal.Number
	err = run.steps()
	if ending := run.journal.end(event{End: err == nil}, run.timesNow(before)); err == nil {
		err = ending
	}
	return run.result, err
}

// steps does all steps.
func (c *carrying) steps() error {
	err := c.each()
	if finishing := c.finish(); err == nil {
		err = finishing
	}
	return err
}

// finish finishes the steps that wait for others.
func (c *carrying) finish() (err error) {
	later := c.later
	c.later = nil
	for _, t := range later {
		if journal := c.close(t, naming{}.finish(t)); err == nil {
			err = journal
		}
	}
	return err
}

func (c *carrying) each() error {
	ask := c.Ask
	for i := range c.plan.Steps {
		if c.verb.upwards() {
			i = len(c.plan.Steps) - 1 - i
		}
		s := c.plan.Steps[i]
		if len(c.later) > 0 && depthOf(c.later[0].step) != depthOf(s) {
			if err := c.finish(); err != nil {
				return err
			}
		}
		if err := c.ctx.Err(); err != nil {
			return err
		}
		if ask != nil {
			switch ask(s) {
			case No:
				c.result.Left++
				c.tell(Outcome{Step: s, Number: i + 1, Left: true})
				continue
			case Rest:
				ask = nil
			case Stop:
				c.result.Stopped = true
				return nil
			}
		}
		if c.Begin != nil {
			c.Begin(s)
		}
		if err := c.step(s, i+1); err != nil {
			return err
		}
	}
	return nil
}

func (c *carrying) tell(o Outcome) {
	if c.Tell != nil {
		c.Tell(o)
	}
}

// step does one step. The error is about the journal, or the context's.
func (c *carrying) step(s *Step, n int) error {
	t := &task{carrying: c, step: s, number: n}
	err := t.run()
	if err == errLater {
		return nil
	}
	return c.close(t, err)
}

// close notes what became of a step. The error is about the journal, or the context's.
func (c *carrying) close(t *task, err error) error {
	s, n := t.step, t.number
	out := Outcome{Step: s, Number: n, To: t.to, Err: err, Notes: t.notes}
	var journal *journalError
	var part *partly
	switch {
	case err == nil:
		c.result.Done++
		c.result.Undoable = c.result.Undoable || c.plan.undoable()
		c.journal.closed(n, t.set, t.notes)
		c.set = event{}
		if t.to != "" && c.plan.Action != Copy {
			c.moved[string(s.Path)] = t.to
		}
	case errors.As(err, &part):
		c.result.Partly++
		c.result.Undoable = c.result.Undoable || c.plan.undoable()
		out.Partly = true
		c.journal.note(event{Partly: n, Gone: part.done, Of: part.all, Why: exact.Text(err.Error()), Left: t.left})
	case errors.As(err, &journal):
		return err
	default:
		c.result.Failed++
		c.journal.note(event{Failed: n, Why: exact.Text(err.Error()), Left: t.left})
	}
	if stopped := c.ctx.Err(); stopped != nil && err != nil && errors.Is(err, stopped) {
		if !out.Partly {
			c.result.Failed-- // it is as if it had not been begun
			return stopped
		}
		out.Aside = leftUnder(&c.to, s, c.journal.under, n, t.left)
		c.tell(out)
		return stopped
	}
	if err != nil {
		out.Aside = leftUnder(&c.to, s, c.journal.under, n, t.left)
	}
	c.tell(out)
	return nil
}

// undoable reports whether what the plan does can be taken back.
func (p *Plan) undoable() bool {
	return p.Action != Run && !p.Options.forGood(p.Action) && !(p.Action == Clear && p.Options.By == ByShared)
}

// run makes sure that the entry of the step is the one of the plan, and does it.
func (t *task) run() error {
	at, name, err := t.carrying.from.at(string(t.step.Path))
	if err != nil {
		if gone(err) {
			err = errGone
		}
		return err
	}
	t.from = spot{at, name}
	if t.verb.stays() && sys.HoldsAll {
		held, err := t.Calls.Hold(at, name)
		if gone(err) {
			err = errGone
		}
		if err != nil {
			return err
		}
		defer t.Calls.Close(held)
		t.from = spot{held, ""}
	}
	if t.st, err = t.isThere(t.step, t.from.at, t.from.name); err != nil {
		return err
	}
	if t.verb.whole() && t.st.Kind == entry.KindFolder {
		if t.step.Holds == nil {
			return errNoHolds
		}
		if t.survey, err = t.surveyor().survey(t.ctx, at, name); err != nil {
			return err
		}
		if !t.step.Holds.sameAs(&t.survey.Holds) {
			return errChanged
		}
		// It took its time, and the folder must still be where it was.
		if t.from.at, t.from.name, err = t.carrying.from.at(string(t.step.Path)); err != nil {
			return err
		}
	}
	return t.verb.do(t)
}

func (c *carrying) surveyor() *surveyor {
	return &surveyor{calls: c.Calls, own: c.own, progress: c.Progress}
}

// isThere returns what is there of an entry, and an error unless that is what a
// step is about.
func (c *carrying) isThere(s *Step, at int, name string) (st sys.Status, err error) {
	if st, err = c.Calls.Status(at, name); err != nil {
		if gone(err) {
			err = errGone
		}
		return st, err
	}
	shown := c.own.before(&st)
	volume := func() string { return c.volumes.named(c.Calls, &c.from, &st) }
	if !isEntry(s, c.plan.Volumes, &st, volume) {
		return st, errChanged
	}
	if st.Kind != entry.KindFolder {
		if shown.Modified != entry.Time(s.Modified) || st.Kind == entry.KindFile && st.Size != s.Size {
			return st, errChanged
		}
		// What cannot be taken back is done only to what is the same in all, and so
		// is the removal of a spare.
		exactly := c.plan.Action != Run && !c.plan.undoable() || s.Keeper != nil
		if exactly && s.Changed != (exact.Time{}) && shown.Changed != entry.Time(s.Changed) {
			return st, errChanged
		}
	}
	if c.verb.goes() || c.verb.outermost() {
		if mounted := c.from.mount().mount != st.Mount || st.MountRoot; mounted && !s.Mounted {
			return st, errMountNow
		} else if !mounted && s.Mounted {
			return st, errChanged
		}
	}
	return st, nil
}

var errNoHolds = errors.New("the plan does not tell what it holds")

var errMountNow = errors.New("a file system is mounted on it now")

// isEntry reports whether an entry is the one of a step: by inode, and the file
// system. That has a number, which may be another after the next mount, and mostly
// a name that lasts.
func isEntry(s *Step, planned map[uint64]string, st *sys.Status, volume func() string) bool {
	if st.Inode != s.Inode || st.Kind.String() != s.Kind {
		return false
	}
	if born := entry.Time(s.Born); born != (entry.Time{}) && st.Born != (entry.Time{}) && born != st.Born {
		return false
	}
	return isVolume(s.Device, planned[s.Device], st, volume)
}

// isVolume reports whether an entry is on a file system that is known by a number and
// perhaps a name.
func isVolume(device uint64, name string, st *sys.Status, volume func() string) bool {
	if name == "" {
		return st.Device == device
	}
	now := volume()
	if now == "" {
		return st.Device == device
	}
	return now == name
}

// watch finds the folders in which names are going to change: those that entries
// leave, and those they go to or, where these have to be made, the ones that these
// are made in.
func (c *carrying) watch() (times []folderTimes) {
	if c.plan.Action == Stamp || c.plan.Action == Permit || c.plan.Action == Own || c.plan.Action == Run {
		return nil
	}
	seen := map[string]bool{}
	for _, s := range c.plan.Steps {
		for _, full := range []string{string(s.Path), string(s.To)} {
			for dir := path.Dir(full); full != "" && dir != "/" && !seen[dir]; dir = path.Dir(dir) {
				seen[dir] = true
				if st, err := c.from.status(dir); err == nil {
					times = append(times, folderTimes{exact.Text(dir), exact.Time(st.Modified), false})
					break
				}
			}
		}
	}
	c.from.close()
	return times
}

// timesNow returns the times that folders have now, wherever they are.
func (c *carrying) timesNow(before []folderTimes) (times []folderTimes) {
	f := newFolders(c.Calls)
	defer f.close()
	w := whereabouts{moved: c.moved, known: map[string]string{}}
	for _, t := range before {
		if st, err := f.status(w.of(string(t.Path))); err == nil {
			times = append(times, folderTimes{t.Path, exact.Time(st.Modified), true})
		}
	}
	return times
}

// whereabouts tells where things are after steps have moved some.
type whereabouts struct {
	moved map[string]string
	known map[string]string
}

// of returns the path that something has after steps have moved it, or what it
// lies in.
func (w whereabouts) of(full string) string {
	if len(w.moved) == 0 || full == "/" {
		return full
	}
	if now, known := w.known[full]; known {
		return now
	}
	dir := path.Dir(full)
	above := w.of(dir)
	to, moved := w.moved[full]
	now := to
	switch {
	case !moved:
		now = path.Join(above, path.Base(full))
	case path.Dir(to) == dir:
		now = path.Join(above, path.Base(to))
	}
	w.known[full] = now
	return now
}
