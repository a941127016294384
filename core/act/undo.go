package act

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"path"
	"slices"

	"golang.org/x/sys/unix"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/tree"
	"frankledger/core/act/verbs"
	"frankledger/core/entry"
)

// UndoResult is what undoing did.
type UndoResult struct {
	Undone, Stays int
}

// Undo undoes what a journal says was done, in the order from the last to the first, as far as possible; it
// overwrites nothing newer. It reports each step that it undoes, or cannot. If the journal and the disk disagree, the
// disk counts.
func Undo(ctx context.Context, c *doing.Carrier, number int64, host string) (u UndoResult, err error) {
	j, err := c.Journals.Open(c.Calls, number)
	if err != nil {
		return u, err
	}
	past, err := c.Journals.Read(number)
	switch {
	case err != nil:
	case past.Undone:
		err = doing.ErrUndone
	case past.Host != host:
		err = doing.ErrOtherHost
	default:
		err = j.Resume()
	}
	if err != nil {
		j.Leave()
		return u, err
	}
	run := c.Undoing(ctx, verbs.All[past.Action], past)
	run.Journal = j
	defer run.Release()
	return undoAll(run)
}

// undoAll undoes all steps.
func undoAll(u *doing.Undoing) (did UndoResult, err error) {
	quiet := quietFolders(u)
	for _, s := range order(u.Past) {
		if len(u.Later) > 0 && doing.DepthOf(u.Later[0].Step) != doing.DepthOf(s.Step) {
			if err := finishUndoing(u, &did); err != nil {
				return did, err
			}
		}
		if err := u.Ctx.Err(); err != nil {
			return did, errors.Join(err, finishUndoing(u, &did), u.Journal.End(journals.Event{}, nil))
		}
		if u.Begin != nil {
			u.Begin(s.Step)
		}
		u.Notes = ""
		acted, trouble := undoStep(u, s)
		if trouble == doing.ErrLater {
			u.Later = append(u.Later, s)
			continue
		}
		if stopped := u.Ctx.Err(); stopped != nil && errors.Is(trouble, stopped) {
			return did, errors.Join(stopped, u.Journal.End(journals.Event{}, nil))
		}
		if err := closeUndone(u, s, acted, trouble, &did); err != nil {
			return did, err
		}
	}
	if err := finishUndoing(u, &did); err != nil {
		return did, err
	}
	removeMade(u)
	for _, dir := range slices.Sorted(maps.Keys(quiet)) { // so that the next one lies near
		if at, name, err := u.From.At(dir); err == nil {
			if st, err := u.Calls.Status(at, name); err == nil {
				u.Calls.SetTimes(at, name, quiet[dir], st.Accessed) // as well as can be
			}
		}
	}
	return did, u.Journal.End(journals.Event{Undid: did.Stays == 0}, nil)
}

// finishUndoing undoes the steps that wait for others.
func finishUndoing(u *doing.Undoing, did *UndoResult) error {
	later := u.Later
	u.Later = nil
	for _, s := range later {
		u.Notes = ""
		trouble := u.Verb.(doing.Finisher).FinishUndo(u, s)
		if err := closeUndone(u, s, trouble == nil, trouble, did); err != nil {
			return err
		}
	}
	return nil
}

// closeUndone notes what became of a step that was to be undone. The error is about the journal.
func closeUndone(u *doing.Undoing, s *journals.PastStep, acted bool, trouble error, did *UndoResult) error {
	switch {
	case trouble != nil:
		did.Stays++
	case acted:
		if s.State == journals.Done && u.Notes != s.Lost {
			u.Notes = plans.JoinNotes(s.Lost, u.Notes)
		}
		did.Undone++
		u.Journal.Note(journals.Event{Undone: s.Number})
		if err := u.Journal.Flush(); err != nil {
			u.Journal.Leave()
			return fmt.Errorf("write the journal: %w", err)
		}
	default:
		return nil
	}
	if u.Tell != nil {
		out := doing.Outcome{Step: s.Step, Number: s.Number, To: string(s.Path), Err: trouble, Notes: u.Notes}
		if u.Verb.Traits().Copies {
			out.To = string(s.To)
		}
		if trouble != nil {
			out.Aside = tree.LeftUnder(&u.From, s.Step, u.Past.Under, s.Number, s.Left())
		}
		u.Tell(out)
	}
	return nil
}

// order returns the steps in the order in which to undo them: the other way
// round than they were done.
func order(p *journals.Past) []*journals.PastStep {
	list := make([]*journals.PastStep, len(p.Steps))
	for i, s := range p.Steps {
		if verbs.All[p.Action].Traits().Upwards {
			list[i] = s
		} else {
			list[len(list)-1-i] = s
		}
	}
	return list
}

// quietFolders returns the folders in which nothing else has changed since, with
// the times they had before.
func quietFolders(u *doing.Undoing) map[string]entry.Time {
	w := whereabouts{moved: map[string]string{}, known: map[string]string{}}
	for _, s := range u.Past.Steps {
		if s.State == journals.Done && s.To != "" && !u.Verb.Traits().Copies {
			w.moved[string(s.Path)] = string(s.To)
		}
	}
	quiet := map[string]entry.Time{}
	for _, dir := range slices.Sorted(maps.Keys(u.Past.After)) { // so that the next one lies near
		after := u.Past.After[dir]
		now, err := u.From.Status(w.of(dir))
		if before, known := u.Past.Before[dir]; known && err == nil && now.Modified == after {
			quiet[dir] = before
		}
	}
	return quiet
}

// undoStep undoes one step. It returns false if there is nothing to undo.
func undoStep(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	switch s.State {
	case journals.Failed: // something may be left under a name of no meaning
		if !u.IsLeft(s) {
			return false, nil
		}
	case journals.NotBegun, journals.Undone:
		return false, nil
	}
	return u.Verb.Undo(u, s)
}

// removeMade removes the folders that were made on the way, if they are empty.
func removeMade(u *doing.Undoing) {
	for i := len(u.Past.Made) - 1; i >= 0; i-- {
		if at, name, err := u.From.At(path.Clean(u.Past.Made[i])); err == nil {
			u.Calls.RemoveFolder(at, name) // it may hold something else by now
		}
	}
}

// Look finds out, for steps that were begun and not closed, what became of them.
func Look(c *doing.Carrier, past *journals.Past) {
	u := c.Undoing(context.Background(), verbs.All[past.Action], past)
	defer u.Release()
	for _, s := range past.Steps {
		if s.State == journals.Begun {
			s.Found, s.Looked = u.Verb.Look(u, s), true
		}
		if s.State == journals.Begun || s.State == journals.Failed || s.State == journals.Partly || s.State == journals.Done && past.Undoing && !past.Undone {
			s.Aside = tree.LeftUnder(&u.From, s.Step, past.Under, s.Number, s.Left())
		}
	}
}

// CanUndo reports whether any step of a journal can be undone, by what is on the disk, or why not.
func CanUndo(c *doing.Carrier, past *journals.Past) error {
	u := c.Undoing(context.Background(), verbs.All[past.Action], past)
	defer u.Release()
	why := doing.ErrNothing
	for _, s := range order(past) {
		if u.IsNothing(s) {
			continue
		}
		err := canUndoStep(u, s)
		if err == nil {
			return nil
		}
		why = err
	}
	return why
}

// UndoStep is a step of a journal, and whether it can be undone.
type UndoStep struct {
	*journals.PastStep
	Past *journals.Past
	Err  error // why it cannot be, or need not; nil if it can, as far as the disk tells
}

// StepsToUndo returns what undo would look at, in the order in which it would, without
// altering anything.
func StepsToUndo(c *doing.Carrier, past *journals.Past) (steps []*UndoStep) {
	u := c.Undoing(context.Background(), verbs.All[past.Action], past)
	defer u.Release()
	for _, s := range order(past) {
		if !u.IsNothing(s) {
			steps = append(steps, &UndoStep{s, past, canUndoStep(u, s)})
		}
	}
	return steps
}

// canUndoStep returns an error if a step cannot be undone.
func canUndoStep(u *doing.Undoing, s *journals.PastStep) error {
	if u.IsLeft(s) {
		return nil
	}
	if err := doing.ForGood(u.Verb, &u.Past.Options); err != nil {
		return err
	}
	switch u.Verb.Look(u, s) {
	case journals.Done, journals.Partly:
		return inTheWay(u, s)
	case journals.NotBegun:
		return doing.ErrNothing
	}
	return doing.ErrMovedOn
}

// inTheWay returns an error if the place that an entry goes back to is taken, or nothing may be put there.
func inTheWay(u *doing.Undoing, s *journals.PastStep) error {
	traits := u.Verb.Traits()
	if traits.Copies || !traits.Goes && !traits.Frees || u.Past.Options.By != plans.ByRemoving { // by links, each has its name
		return nil
	}
	at, name, err := u.To.At(string(s.Path))
	if err != nil { // its folder is gone, which is told when it is done
		return nil
	}
	st, err := u.Calls.Status(at, name)
	switch {
	case openat.Gone(err):
		if may := u.Calls.MayWrite(at); errors.Is(may, unix.EACCES) || errors.Is(may, unix.EPERM) || errors.Is(may, unix.EROFS) {
			return fmt.Errorf("%w: %s", doing.ErrNoNewFile, path.Dir(string(s.Path)))
		}
		return nil
	case err != nil:
		return err
	}
	for _, other := range u.Past.Steps { // which goes back itself
		if other.Inode == st.Inode && other.Device == st.Device {
			return nil
		}
	}
	return fmt.Errorf("%w: %s", openat.ErrTaken, s.Path)
}

// NewestUndoable returns the newest journal of which something can be undone and, by number, why nothing of a later
// one can. The number is 0 if there is none.
func NewestUndoable(c *doing.Carrier, host string) (number int64, passed map[int64]error, err error) {
	numbers, err := c.Journals.Numbers()
	if err != nil {
		return 0, nil, err
	}
	passed = map[int64]error{}
	for i := len(numbers) - 1; i >= 0; i-- {
		past, err := c.Journals.Summary(numbers[i])
		switch {
		case err != nil:
		case past.Undone:
			continue
		case past.Host != host:
			err = doing.ErrOtherHost
		default:
			if past, err = c.Journals.Read(numbers[i]); err == nil {
				err = CanUndo(c, past)
			}
		}
		if err == nil {
			return numbers[i], passed, nil
		}
		if errors.Is(err, doing.ErrNothing) {
			continue
		}
		passed[numbers[i]] = err
	}
	return 0, passed, nil
}
