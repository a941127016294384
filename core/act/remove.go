package act

import (
	"context"
	"errors"
	"fmt"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/exact"
)

// remove puts entries into the trash, or removes them for good.
type remove struct{}

func (remove) goes() bool      { return false }
func (remove) upwards() bool   { return false }
func (remove) outermost() bool { return true }
func (remove) whole() bool     { return true }

func (remove) plan(p *planning, s *Step, e *entry.Entry) error {
	if err := p.leave(s, e, nil); err != nil || p.Options.ForGood {
		return err
	}
	if s.Mounted {
		return errMountedTrash
	}
	if _, _, err := p.sources.at(string(s.Path)); err != nil {
		return err
	}
	c, err := p.cans.forEntry(string(s.Path), p.sources.mount())
	if err == nil && within(c.path, string(s.Path)) {
		err = errHasTrash
	}
	return err
}

func (remove) words(p *Plan) (ask, done string) {
	if p.Options.ForGood {
		return "remove for good, which cannot be undone,", "removed for good"
	}
	return "put into the trash", "put into the trash"
}

func (remove) does(p *Plan, s *Step) string {
	switch {
	case s.Mounted:
		return "remove all in it for good; the folder stays, as a file system is mounted on it"
	case p.Options.ForGood:
		return "remove for good"
	}
	return "into the trash"
}

func (remove) do(t *task) error {
	if t.step.Keeper != nil {
		done, err := t.isSpare()
		if err != nil {
			return err
		}
		defer done()
	}
	if !t.plan.Options.ForGood {
		return t.discard()
	}
	if err := t.begin(event{}); err != nil {
		return err
	}
	s := t.surveyor()
	if t.survey == nil {
		return s.unlink(t.from.at, t.from.name, &t.st)
	}
	removed, err := s.removeAll(t.ctx, t.from.at, t.from.name, t.survey, t.step.Mounted)
	if err != nil && removed > 0 {
		err = &partly{removed, int64(len(t.survey.prints)), err}
	}
	return err
}

// discard moves an entry into the trash.
func (t *task) discard() error {
	in := t.carrying.from.mount()
	c, err := t.cans.forEntry(string(t.step.Path), in)
	if err != nil {
		return err
	}
	to, info, err := t.cans.reserve(c, in, string(t.step.Path), t.Now(), func(to, info string) error {
		return t.begin(event{To: exact.Text(to), Info: exact.Text(info)})
	})
	if err != nil {
		return err
	}
	at, name, err := t.cans.open(c, to, in)
	if err == nil {
		err = taken(t.Calls.Rename(t.from.at, t.from.name, at, name))
	}
	if err != nil {
		if at, name, err := t.cans.open(c, info, in); err == nil { // not in a folder that took its place
			t.Calls.Unlink(at, name)
		}
		if errors.Is(err, unix.EXDEV) {
			err = errNoTrash
		}
		return err
	}
	t.noteNames(at, name)
	t.went(to)
	return nil
}

func (remove) undo(u *undoing, s *PastStep) (acted bool, err error) {
	if u.past.Options.ForGood {
		if here, err := u.isAt(string(s.Path), s, &u.from); s.State == Begun && (here || err != nil) {
			return false, err
		}
		return false, errForGood
	}
	if s.To == "" {
		return false, errMovedOn
	}
	if acted, err = u.back(s); err != nil || s.info == "" {
		return acted, err
	}
	if _, err := u.from.status(string(s.To)); !gone(err) {
		return acted, err // by now another program's
	}
	at, name, err := u.from.at(s.info)
	if err == nil {
		err = u.Calls.Unlink(at, name)
	}
	if err != nil && !gone(err) {
		return false, fmt.Errorf("it is back, but its entry in the trash could not be removed: %w", err)
	}
	return acted, nil
}

func (remove) look(u *undoing, s *PastStep) State {
	if !u.past.Options.ForGood {
		return u.lookAtPaths(s)
	}
	st, err := u.from.status(string(s.Path))
	switch {
	case gone(err):
		return Done
	case err != nil || !u.isIt(s, &st, &u.from):
		return Begun
	case s.Holds == nil:
		return NotBegun
	}
	at, name, err := u.from.at(string(s.Path))
	if err != nil {
		return Begun
	}
	now, err := u.surveyor().survey(context.Background(), at, name)
	switch {
	case err != nil:
		return Begun
	case now.Entries < s.Holds.Entries:
		return Partly
	}
	return NotBegun
}

// within reports whether a path is a folder, or lies in it.
func within(full, folder string) bool {
	return full == folder || folder == "/" || len(full) > len(folder) && full[:len(folder)] == folder && full[len(folder)] == '/'
}
