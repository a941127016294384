package act

import (
	"context"
	"errors"
	"path"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/exact"
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
	Err    error  // nil if it is done
	Left   bool   // it was answered with no
}

// Carrier carries plans out.
type Carrier struct {
	Journals Journals
	Trash    Trash
	// Ask is asked before each step. It may be nil.
	Ask func(*Step) Answer
	// Tell is told of each step. It may be nil.
	Tell func(Outcome)
	// Now tells the time.
	Now func() time.Time
}

// Result is what was done in all.
type Result struct {
	Journal                     int64 // its number; 0 if nothing was begun
	Done, Failed, Left, Refused int
	Stopped                     bool // before the end
}

// carrying is one carrying out.
type carrying struct {
	*Carrier
	ctx     context.Context
	plan    *Plan
	journal *Journal
	from    folders
	to      folders
	went    map[string]string // where steps have moved things
	result  Result
}

// CarryOut does what a plan says. What cannot be done is told, and the rest is
// done all the same. The error is about the journal, without which nothing is
// done, or the context's.
func (c *Carrier) CarryOut(ctx context.Context, plan *Plan) (Result, error) {
	todo := *plan
	todo.Steps = nil
	run := &carrying{Carrier: c, ctx: ctx, plan: &todo, went: map[string]string{}}
	defer run.from.close()
	defer run.to.close()
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
	before := run.watch()
	var err error
	if run.journal, err = c.Journals.begin(&todo, c.Now(), before); err != nil {
		return run.result, err
	}
	run.result.Journal = run.journal.Number
	err = run.steps()
	if ending := run.journal.end(event{End: err == nil}, run.timesNow(before)); err == nil {
		err = ending
	}
	return run.result, err
}

// steps does all steps. Names are changed and permissions set from the bottom up,
// so that paths stay good.
func (c *carrying) steps() error {
	upwards := c.plan.Action == Hide || c.plan.Action == Reveal || c.plan.Action == Permit
	ask := c.Ask
	for i := range c.plan.Steps {
		if upwards {
			i = len(c.plan.Steps) - 1 - i
		}
		s := c.plan.Steps[i]
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

// step does one step. The error is about the journal.
func (c *carrying) step(s *Step, n int) error {
	to, trouble, err := c.do(s, n)
	if err != nil {
		return err
	}
	if trouble != nil {
		c.result.Failed++
		c.journal.note(event{Failed: n, Why: exact.Text(trouble.Error())})
	} else {
		c.result.Done++
		if to != "" {
			c.went[string(s.Path)] = to
		}
	}
	c.tell(Outcome{Step: s, Number: n, To: to, Err: trouble})
	return nil
}

// do does what a step says, and returns where it went, if anywhere, and why it
// could not. The error is about the journal.
func (c *carrying) do(s *Step, n int) (to string, trouble, err error) {
	fd, name, trouble := c.from.at(string(s.Path))
	if trouble != nil {
		if errors.Is(trouble, unix.ENOENT) {
			trouble = errGone
		}
		return "", trouble, nil
	}
	st, trouble := s.isThere(fd, name, false)
	if trouble == nil && s.Holds != nil {
		trouble = s.holdsAsBefore(c.ctx)
	}
	if trouble != nil {
		return "", trouble, nil
	}
	switch c.plan.Action {
	case Hide, Reveal, Move:
		return c.goTo(s, n, fd, name)
	case Remove:
		if c.plan.Options.ForGood {
			if err := c.journal.begun(event{Begin: n}); err != nil {
				return "", nil, err
			}
			trouble = removeAll(fd, name)
			break
		}
		return c.discard(s, n, fd, name)
	case Stamp:
		if err := c.journal.begun(event{Begin: n}); err != nil {
			return "", nil, err
		}
		trouble = setTimes(fd, name, c.plan.Options.Modified, c.plan.Options.Accessed)
	case Permit:
		mode, wrong := entry.ParsePermissions(s.NewMode)
		if wrong == nil && entry.Permissions(st.Mode&0o7777).Octal() != s.Mode {
			wrong = errChanged
		}
		if wrong != nil {
			return "", wrong, nil
		}
		if err := c.journal.begun(event{Begin: n}); err != nil {
			return "", nil, err
		}
		trouble = permit(fd, name, uint32(mode))
	}
	if trouble == nil {
		c.journal.done(n)
	}
	return "", trouble, nil
}

// holdsAsBefore returns an error unless a folder holds what it held when the plan
// was made.
func (s *Step) holdsAsBefore(ctx context.Context) error {
	now, err := holds(ctx, string(s.Path))
	if err == nil && *now != *s.Holds {
		err = errChanged
	}
	return err
}

// goTo moves an entry to where its step says.
func (c *carrying) goTo(s *Step, n, fd int, name string) (to string, trouble, err error) {
	to = string(s.To)
	if c.plan.Action == Move {
		if trouble := c.makeFolders(path.Dir(to)); trouble != nil {
			return "", trouble, nil
		}
	}
	if err := c.journal.begun(event{Begin: n}); err != nil {
		return "", nil, err
	}
	toFd, newName := fd, path.Base(to)
	if path.Dir(to) != path.Dir(string(s.Path)) {
		if toFd, newName, trouble = c.to.at(to); trouble != nil {
			return "", trouble, nil
		}
	}
	done := event{Done: n}
	trouble = rename(fd, name, toFd, newName)
	if errors.Is(trouble, unix.EXDEV) {
		var st unix.Stat_t
		if trouble = copyOver(c.ctx, string(s.Path), fd, name, toFd, newName, copyName(c.journal.Number, n)); trouble == nil {
			if st, trouble = status(toFd, newName, false); trouble == nil {
				done.Inode, done.Device = uint64(st.Ino), uint64(st.Dev)
			}
		}
	}
	if trouble != nil {
		return "", trouble, nil
	}
	if s.Kind == entry.KindFolder.String() {
		c.from.close() // it may be under another path now
		c.to.close()
	}
	if done.Inode == 0 {
		c.journal.done(n)
	} else {
		c.journal.note(done)
	}
	return to, nil, nil
}

// makeFolders makes the folders on the way that are not there.
func (c *carrying) makeFolders(dir string) error {
	if c.to.path == dir || dir == "/" {
		return nil
	}
	fd, name, err := c.to.at(dir)
	if errors.Is(err, unix.ENOENT) {
		if err := c.makeFolders(path.Dir(dir)); err != nil {
			return err
		}
		fd, name, err = c.to.at(dir)
	}
	if err != nil {
		return err
	}
	if _, err := status(fd, name, false); !errors.Is(err, unix.ENOENT) {
		return err
	}
	c.journal.note(event{Made: exact.Text(dir)})
	if err := c.journal.flush(); err != nil {
		return err
	}
	return unix.Mkdirat(fd, name, 0o777)
}

// setTimes sets times, as far as they are given.
func setTimes(fd int, name string, modified, accessed *exact.Time) error {
	st, err := status(fd, name, false)
	if err != nil {
		return err
	}
	times := [2]unix.Timespec{st.Atim, st.Mtim}
	for i, t := range []*exact.Time{accessed, modified} {
		if t != nil {
			if times[i], err = unix.TimeToTimespec(entry.Time(*t).Std()); err != nil {
				return err
			}
		}
	}
	return unix.UtimesNanoAt(fd, name, times[:], unix.AT_SYMLINK_NOFOLLOW)
}

// watch finds the folders in which names are going to change: those that entries
// leave, and those they go to or, where these have to be made, the ones that these
// are made in.
func (c *carrying) watch() (times []folderTimes) {
	switch c.plan.Action {
	case Hide, Reveal, Move, Remove:
	default:
		return nil
	}
	seen := map[string]bool{}
	var f folders
	defer f.close()
	for _, s := range c.plan.Steps {
		for _, full := range []string{string(s.Path), string(s.To)} {
			for dir := path.Dir(full); full != "" && dir != "/" && !seen[dir]; dir = path.Dir(dir) {
				seen[dir] = true
				if modified, ok := modifiedOf(&f, dir); ok {
					times = append(times, folderTimes{exact.Text(dir), exact.Time(modified), false})
					break
				}
			}
		}
	}
	return times
}

// timesNow returns the times that folders have now, wherever they are.
func (c *carrying) timesNow(before []folderTimes) (times []folderTimes) {
	var f folders
	defer f.close()
	for _, t := range before {
		if modified, ok := modifiedOf(&f, where(c.went, string(t.Path))); ok {
			times = append(times, folderTimes{t.Path, exact.Time(modified), true})
		}
	}
	return times
}

// modifiedOf returns when a folder was last modified.
func modifiedOf(f *folders, dir string) (entry.Time, bool) {
	fd, name, err := f.at(dir)
	if err != nil {
		return entry.Time{}, false
	}
	st, err := status(fd, name, false)
	return timeOf(st.Mtim), err == nil
}

// where returns the path that something has after steps have moved it, or what
// it lies in.
func where(went map[string]string, full string) string {
	if len(went) == 0 || full == "/" {
		return full
	}
	dir := path.Dir(full)
	above := where(went, dir)
	to, moved := went[full]
	switch {
	case !moved:
		return path.Join(above, path.Base(full))
	case path.Dir(to) == dir:
		return path.Join(above, path.Base(to))
	}
	return to
}
