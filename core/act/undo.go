package act

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path"
	"slices"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Undoing is what undoing did.
type Undoing struct {
	Undone, Stays int
}

// Why a step cannot be undone.
var (
	errForGood   = errors.New("it was removed for good")
	errRan       = errors.New("what the command did is not known")
	errNothing   = errors.New("nothing was done")
	errSince     = errors.New("it has changed since")
	ErrUndone    = errors.New("it has been undone already")
	ErrNoJournal = errors.New("there is no such journal")
	ErrOtherHost = errors.New("it was done on another machine")
)

// undoing is one undoing.
type undoing struct {
	*Carrier
	ctx      context.Context
	past     *Past
	journal  *Journal // nil while it is only looked at
	from, to folders
	volumes  volumes
	own      ownChanges
	copies   copies
	later    []*PastStep // that are taken back when those as deep as they are begun
	notes    string      // what is not as before, of the step that is being undone
}

func (c *Carrier) undoing(ctx context.Context, past *Past) *undoing {
	return &undoing{Carrier: c, ctx: ctx, past: past, from: newFolders(c.Calls), to: newFolders(c.Calls), volumes: volumes{}, own: ownChanges{}, copies: copies{}}
}

func (u *undoing) release() {
	u.from.close()
	u.to.close()
}

// Undo takes back what a journal says was done, in the order from the last to the
// first, as far as that can be: nothing that has come since is overwritten. Each
// step that it takes back, or cannot, is told. Where the journal and the disk say
// different things, the disk counts.
func (c *Carrier) Undo(ctx context.Context, number int64, host string) (u Undoing, err error) {
	j := &Journal{Number: number, calls: c.Calls}
	if j.file, err = os.OpenFile(c.Journals.path(number), os.O_RDWR|os.O_APPEND, 0); err != nil {
		if errors.Is(err, os.ErrNotExist) {
			err = ErrNoJournal
		}
		return u, err
	}
	if err := j.lock(); err != nil { // before it is read
		j.file.Close()
		return u, err
	}
	past, err := c.Journals.Read(number)
	switch {
	case err != nil:
	case past.Undone:
		err = ErrUndone
	case past.Host != host:
		err = ErrOtherHost
	}
	if err != nil {
		j.file.Close()
		return u, err
	}
	// A last line that was cut short is ended.
	j.pending = append(j.pending, '\n')
	j.note(event{Undoing: true})
	if err := j.flush(); err != nil {
		j.file.Close()
		return u, fmt.Errorf("write the journal: %w", err)
	}
	run := c.undoing(ctx, past)
	run.journal = j
	defer run.release()
	return run.all()
}

// all undoes all steps.
func (u *undoing) all() (did Undoing, err error) {
	quiet := u.quietFolders()
	for _, s := range u.past.order() {
		if len(u.later) > 0 && depthOf(u.later[0].Step) != depthOf(s.Step) {
			if err := u.finish(&did); err != nil {
				return did, err
			}
		}
		if err := u.ctx.Err(); err != nil {
			return did, errors.Join(err, u.finish(&did), u.journal.end(event{}, nil))
		}
		if u.Begin != nil {
			u.Begin(s.Step)
		}
		u.notes = ""
		acted, trouble := u.step(s)
		if trouble == errLater {
			u.later = append(u.later, s)
			continue
		}
		if stopped := u.ctx.Err(); stopped != nil && errors.Is(trouble, stopped) {
			return did, errors.Join(stopped, u.journal.end(event{}, nil))
		}
		if err := u.close(s, acted, trouble, &did); err != nil {
			return did, err
		}
	}
	if err := u.finish(&did); err != nil {
		return did, err
	}
	u.removeMade()
	for _, dir := range slices.Sorted(maps.Keys(quiet)) { // so that the next one lies near
		if at, name, err := u.from.at(dir); err == nil {
			if st, err := u.Calls.Status(at, name); err == nil {
				u.Calls.SetTimes(at, name, quiet[dir], st.Accessed) // as well as can be
			}
		}
	}
	return did, u.journal.end(event{Undid: did.Stays == 0}, nil)
}

// finish takes back the steps that wait for others.
func (u *undoing) finish(did *Undoing) error {
	later := u.later
	u.later = nil
	for _, s := range later {
		u.notes = ""
		trouble := naming{}.finishUndo(u, s)
		if err := u.close(s, trouble == nil, trouble, did); err != nil {
			return err
		}
	}
	return nil
}

// close notes what became of a step that was to be taken back. The error is about the
// journal.
func (u *undoing) close(s *PastStep, acted bool, trouble error, did *Undoing) error {
	switch {
	case trouble != nil:
		did.Stays++
	case acted:
		if s.State == Done && u.notes != s.lost {
			u.notes = joinNotes(s.lost, u.notes)
		}
		did.Undone++
		u.journal.note(event{Undone: s.Number})
		if err := u.journal.flush(); err != nil {
			u.journal.file.Close()
			return fmt.Errorf("write the journal: %w", err)
		}
	default:
		return nil
	}
	if u.Tell != nil {
		out := Outcome{Step: s.Step, Number: s.Number, To: string(s.Path), Err: trouble, Notes: u.notes}
		if u.past.Action == Copy {
			out.To = string(s.To)
		}
		if trouble != nil {
			out.Aside = leftUnder(&u.from, s.Step, u.past.under, s.Number, s.left())
		}
		u.Tell(out)
	}
	return nil
}

// order returns the steps in the order in which to undo them: the other way
// round than they were done.
func (p *Past) order() []*PastStep {
	list := make([]*PastStep, len(p.Steps))
	for i, s := range p.Steps {
		if verbs[p.Action].upwards() {
			list[i] = s
		} else {
			list[len(list)-1-i] = s
		}
	}
	return list
}

// quietFolders returns the folders in which nothing else has changed since, with
// the times they had before.
func (u *undoing) quietFolders() map[string]entry.Time {
	w := whereabouts{moved: map[string]string{}, known: map[string]string{}}
	for _, s := range u.past.Steps {
		if s.State == Done && s.To != "" && u.past.Action != Copy {
			w.moved[string(s.Path)] = string(s.To)
		}
	}
	quiet := map[string]entry.Time{}
	for _, dir := range slices.Sorted(maps.Keys(u.past.after)) { // so that the next one lies near
		after := u.past.after[dir]
		now, err := u.from.status(w.of(dir))
		if before, known := u.past.before[dir]; known && err == nil && now.Modified == after {
			quiet[dir] = before
		}
	}
	return quiet
}

// step undoes one step. It returns false if there is nothing to undo.
func (u *undoing) step(s *PastStep) (acted bool, err error) {
	switch s.State {
	case Failed: // something may be left under a name of no meaning
		if !u.isLeft(s) {
			return false, nil
		}
	case NotBegun, Undone:
		return false, nil
	}
	return verbs[u.past.Action].undo(u, s)
}

// isLeft reports whether there is something under the name of no meaning of a step, or what the
// trash kept of it.
func (u *undoing) isLeft(s *PastStep) bool {
	if s.info != "" {
		if _, err := u.from.status(s.info); err == nil {
			return true
		}
	}
	return !verbs[u.past.Action].stays() && leftUnder(&u.from, s.Step, u.past.under, s.Number, s.left()) != ""
}

// isNothing reports whether there is nothing to take back of a step.
func (u *undoing) isNothing(s *PastStep) bool {
	return s.State == NotBegun || s.State == Undone || s.State == Failed && !u.isLeft(s)
}

// isIt reports whether an entry, of a folder that is open, is that of a step, or the copy that
// was made of it.
func (u *undoing) isIt(s *PastStep, st *sys.Status, in *folders) bool {
	volume := func() string { return u.volumes.named(u.Calls, in, st) }
	if isEntry(s.Step, u.past.Volumes, st, volume) {
		return true
	}
	for _, made := range s.copied {
		if st.Inode == made.inode && st.Kind.String() == s.Kind && isVolume(made.device, made.volume, st, volume) {
			return true
		}
	}
	return false
}

// named returns the name of the file system of an entry in the folder that is open.
func (v volumes) named(calls *sys.Calls, f *folders, st *sys.Status) string {
	if known, met := v[st.Device]; met {
		return known.ID
	}
	at, err := f.ladder.fd()
	if err != nil {
		return ""
	}
	return v.of(calls, at, "", st).ID
}

// removeMade removes the folders that were made on the way, if they are empty.
func (u *undoing) removeMade() {
	for i := len(u.past.made) - 1; i >= 0; i-- {
		if at, name, err := u.from.at(path.Clean(u.past.made[i])); err == nil {
			u.Calls.RemoveFolder(at, name) // it may hold something else by now
		}
	}
}

// Look finds out, for steps that were begun and not closed, what became of them.
func (c *Carrier) Look(past *Past) {
	u := c.undoing(context.Background(), past)
	defer u.release()
	for _, s := range past.Steps {
		if s.State == Begun {
			s.Found, s.Looked = verbs[past.Action].look(u, s), true
		}
		if s.State == Begun || s.State == Failed || s.State == Partly || s.State == Done && past.undoing && !past.Undone {
			s.Aside = leftUnder(&u.from, s.Step, past.under, s.Number, s.left())
		}
	}
}

// CanUndo reports whether any step of a journal can be taken back, as far as the disk
// tells, or why not.
func (c *Carrier) CanUndo(past *Past) error {
	u := c.undoing(context.Background(), past)
	defer u.release()
	why := errNothing
	for _, s := range past.order() {
		if u.isNothing(s) {
			continue
		}
		err := u.canUndo(s)
		if err == nil {
			return nil
		}
		why = err
	}
	return why
}

// UndoStep is a step of a journal, and whether it can be taken back.
type UndoStep struct {
	*PastStep
	Past *Past
	Err  error // why it cannot be, or need not; nil if it can, as far as the disk tells
}

// UndoSteps returns what undo would look at, in the order in which it would, without
// altering anything.
func (c *Carrier) UndoSteps(past *Past) (steps []*UndoStep) {
	u := c.undoing(context.Background(), past)
	defer u.release()
	for _, s := range past.order() {
		if !u.isNothing(s) {
			steps = append(steps, &UndoStep{s, past, u.canUndo(s)})
		}
	}
	return steps
}

// canUndo returns an error if a step cannot be taken back.
func (u *undoing) canUndo(s *PastStep) error {
	switch {
	case u.past.Action == Run:
		return errRan
	case u.isLeft(s):
		return nil
	case u.past.Options.forGood(u.past.Action):
		return errForGood
	case u.past.Action == Clear && u.past.Options.By == ByShared:
		return errSharing
	}
	switch verbs[u.past.Action].look(u, s) {
	case Done, Partly:
		return nil
	case NotBegun:
		return errNothing
	}
	return errMovedOn
}

// Newest returns the newest journal of which something can be taken back; and, by
// number, why none of a later one can be. The number is 0 if there is none.
func (c *Carrier) Newest(host string) (number int64, passed map[int64]error, err error) {
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
			err = ErrOtherHost
		default:
			if past, err = c.Journals.Read(numbers[i]); err == nil {
				err = c.CanUndo(past)
			}
		}
		if err == nil {
			return numbers[i], passed, nil
		}
		if errors.Is(err, errNothing) {
			continue
		}
		passed[numbers[i]] = err
	}
	return 0, passed, nil
}
