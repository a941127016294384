package act

import (
	"context"
	"errors"
	"os"
	"path"
	"path/filepath"
	"slices"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/act/copying"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/trash"
	"frankledger/core/act/tree"
	"frankledger/core/act/verbs"
	"frankledger/core/exact"
)

// CarryOut does what a plan says. It reports what cannot be done, and does the rest all the same. The error is about
// the journal, without which nothing is done, or the context's: then the step that was being done was ended, and
// taken back or said to be partly done.
func CarryOut(ctx context.Context, c *doing.Carrier, plan *plans.Plan) (doing.Result, error) {
	todo := *plan
	todo.Steps = nil
	run := &doing.Carrying{Carrier: c, Ctx: ctx, Plan: &todo, Verb: verbs.All[plan.Action], From: openat.NewFolders(c.Calls), To: openat.NewFolders(c.Calls), Keepers: openat.NewFolders(c.Calls),
		Volumes: openat.Volumes{}, Own: tree.OwnChanges{}, Copies: copying.Copies{}, Moved: map[string]string{}}
	run.Cans = trash.NewDirectories(c.Trash, &run.To, false)
	defer run.From.Close()
	defer run.To.Close()
	defer run.Keepers.Close()
	for _, s := range plan.Steps {
		if s.Refused == "" {
			todo.Steps = append(todo.Steps, s)
		} else {
			run.Result.Refused++
		}
	}
	if len(todo.Steps) == 0 {
		return run.Result, nil
	}
	if err := ctx.Err(); err != nil {
		return run.Result, err
	}
	if slices.ContainsFunc(todo.Steps, func(s *plans.Step) bool { return s.Keeper != nil }) {
		done, err := clearingAlone(ctx, c)
		if err != nil {
			return run.Result, err
		}
		defer done()
	}
	before := watchFolders(run)
	var err error
	if run.Journal, err = c.Journals.Begin(c.Calls, &todo, c.Now(), before); err != nil {
		return run.Result, err
	}
	run.Result.Journal = run.Journal.Number
	err = allSteps(run)
	if ending := run.Journal.End(journals.Event{End: err == nil}, timesNow(run, before)); err == nil {
		err = ending
	}
	return run.Result, err
}

// allSteps does all steps.
func allSteps(c *doing.Carrying) error {
	err := eachStep(c)
	if finishing := finishLater(c); err == nil {
		err = finishing
	}
	return err
}

// finishLater finishes the steps that wait for others.
func finishLater(c *doing.Carrying) (err error) {
	later := c.Later
	c.Later = nil
	for _, t := range later {
		if journal := closeStep(c, t, c.Verb.(doing.Finisher).Finish(t)); err == nil {
			err = journal
		}
	}
	return err
}

func eachStep(c *doing.Carrying) error {
	ask := c.Ask
	for i := range c.Plan.Steps {
		if c.Verb.Traits().Upwards {
			i = len(c.Plan.Steps) - 1 - i
		}
		s := c.Plan.Steps[i]
		if len(c.Later) > 0 && doing.DepthOf(c.Later[0].Step) != doing.DepthOf(s) {
			if err := finishLater(c); err != nil {
				return err
			}
		}
		if err := c.Ctx.Err(); err != nil {
			return err
		}
		if ask != nil {
			switch ask(s) {
			case doing.No:
				c.Result.Left++
				c.Report(doing.Outcome{Step: s, Number: i + 1, Left: true})
				continue
			case doing.Rest:
				ask = nil
			case doing.Stop:
				c.Result.Stopped = true
				return nil
			}
		}
		if c.Begin != nil {
			c.Begin(s)
		}
		if err := oneStep(c, s, i+1); err != nil {
			return err
		}
	}
	return nil
}

// oneStep does one step. The error is about the journal, or the context's.
func oneStep(c *doing.Carrying, s *plans.Step, n int) error {
	t := &doing.Task{Carrying: c, Step: s, Number: n}
	err := t.Run()
	if err == doing.ErrLater {
		return nil
	}
	return closeStep(c, t, err)
}

// closeStep notes what became of a step. The error is about the journal, or the context's.
func closeStep(c *doing.Carrying, t *doing.Task, err error) error {
	s, n := t.Step, t.Number
	out := doing.Outcome{Step: s, Number: n, To: t.To, Err: err, Notes: t.Notes}
	var journal *doing.JournalError
	var part *tree.Partly
	switch {
	case err == nil:
		c.Result.Done++
		c.Result.Undoable = c.Result.Undoable || c.Undoable()
		c.Journal.Closed(n, t.Set, t.Notes)
		c.Set = journals.Event{}
		if t.To != "" && !c.Verb.Traits().Copies {
			c.Moved[string(s.Path)] = t.To
		}
	case errors.As(err, &part):
		c.Result.Partly++
		c.Result.Undoable = c.Result.Undoable || c.Undoable()
		out.Partly = true
		c.Journal.Note(journals.Event{Partly: n, Gone: part.Done, Of: part.All, Why: exact.Text(err.Error()), Left: t.Left})
	case errors.As(err, &journal):
		return err
	default:
		c.Result.Failed++
		c.Journal.Note(journals.Event{Failed: n, Why: exact.Text(err.Error()), Left: t.Left})
	}
	if stopped := c.Ctx.Err(); stopped != nil && err != nil && errors.Is(err, stopped) {
		if !out.Partly {
			c.Result.Failed-- // it is as if it had not been begun
			return stopped
		}
		out.Aside = tree.LeftUnder(&c.To, s, c.Journal.Under, n, t.Left)
		c.Report(out)
		return stopped
	}
	if err != nil {
		out.Aside = tree.LeftUnder(&c.To, s, c.Journal.Under, n, t.Left)
	}
	c.Report(out)
	return nil
}

// watchFolders finds the folders in which names are going to change: those that entries
// leave, and those they go to or, where these have to be made, the ones that these
// are made in.
func watchFolders(c *doing.Carrying) (times []journals.FolderTimes) {
	if c.Verb.Traits().Stays {
		return nil
	}
	seen := map[string]bool{}
	for _, s := range c.Plan.Steps {
		for _, full := range []string{string(s.Path), string(s.To)} {
			for dir := path.Dir(full); full != "" && dir != "/" && !seen[dir]; dir = path.Dir(dir) {
				seen[dir] = true
				if st, err := c.From.Status(dir); err == nil {
					times = append(times, journals.FolderTimes{Path: exact.Text(dir), Modified: exact.Time(st.Modified), After: false})
					break
				}
			}
		}
	}
	c.From.Close()
	return times
}

// timesNow returns the times that folders have now, wherever they are.
func timesNow(c *doing.Carrying, before []journals.FolderTimes) (times []journals.FolderTimes) {
	f := openat.NewFolders(c.Calls)
	defer f.Close()
	w := whereabouts{moved: c.Moved, known: map[string]string{}}
	for _, t := range before {
		if st, err := f.Status(w.of(string(t.Path))); err == nil {
			times = append(times, journals.FolderTimes{Path: t.Path, Modified: exact.Time(st.Modified), After: true})
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

// clearingAlone has only one program of this person clear spares at a time, until the
// function that it returns is called: two that do it the other way round would keep
// nothing.
func clearingAlone(ctx context.Context, c *doing.Carrier) (done func(), err error) {
	if err := os.MkdirAll(c.Journals.Folder, 0o700); err != nil {
		return nil, err
	}
	file, err := os.OpenFile(filepath.Join(c.Journals.Folder, "clear.lock"), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	for {
		err := unix.Flock(int(file.Fd()), unix.LOCK_EX|unix.LOCK_NB)
		if !errors.Is(err, unix.EWOULDBLOCK) { // some file systems cannot
			return func() { file.Close() }, nil
		}
		select {
		case <-ctx.Done():
			file.Close()
			return nil, ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
}
