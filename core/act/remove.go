package act

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/exact"
)

// remove puts entries into the trash, or removes them for good.
type remove struct{}

func (remove) stays() bool     { return false }
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
	v, under := t.survey, t.journal.under(t.number)
	if v == nil {
		v = &survey{top: t.st, prints: make([]uint64, 1)}
		if !t.carrying.passed {
			under = t.journal.under(forPassing)
		}
	}
	removed, err := t.surveyor().takeAway(t.ctx, t.from, under, v, t.step.Mounted)
	if err != nil && under == t.journal.under(forPassing) {
		_, free := t.Calls.Status(t.from.at, under)
		t.left = !gone(free)
		t.carrying.passed = t.carrying.passed || t.left
	}
	if err != nil && removed > 0 {
		err = &partly{removed, int64(len(v.prints)), err}
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
	if err := t.isMoved(spot{at, name}); err != nil {
		if !isPartly(err) {
			if at, name, err := t.cans.open(c, info, in); err == nil {
				t.Calls.Unlink(at, name)
			}
		}
		return err
	}
	t.went(to)
	return nil
}

func (remove) undo(u *undoing, s *PastStep) (acted bool, err error) {
	if u.past.Options.ForGood {
		left := leftUnder(&u.from, s.Step, u.past.under, s.Number, s.left()) != ""
		if err := u.settle(s); err != nil {
			return false, err
		}
		here, err := u.isAt(string(s.Path), s, &u.from)
		if left && here {
			u.notes = "what had not been removed has its name again"
			return true, err
		}
		if s.State == Begun && (here || err != nil) {
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
	is := false
	if err == nil {
		is, err = u.isInfo(s, at, name)
	}
	if is {
		err = u.Calls.Unlink(at, name)
	}
	if err != nil && !gone(err) {
		return false, fmt.Errorf("it is back, but its entry in the trash could not be removed: %w", err)
	}
	return acted, nil
}

// isInfo reports whether what the trash keeps under a name is about the entry of a step, or
// is empty since the program was killed: another program may have the name by now.
func (u *undoing) isInfo(s *PastStep, at int, name string) (bool, error) {
	fd, err := u.Calls.OpenFile(at, name)
	if err != nil {
		return false, err
	}
	defer u.Calls.Close(fd)
	room := make([]byte, 16<<10)
	n, err := u.Calls.Read(fd, room)
	if err == io.EOF {
		return true, nil
	}
	_, rest, found := strings.Cut(string(room[:n]), "Path=")
	line, _, _ := strings.Cut(rest, "\n")
	from, bad := url.PathUnescape(line)
	return found && bad == nil && (from == string(s.Path) || strings.HasSuffix(string(s.Path), "/"+from)), err
}

func (remove) look(u *undoing, s *PastStep) State {
	if !u.past.Options.ForGood {
		return u.lookAtPaths(s)
	}
	if leftUnder(&u.from, s.Step, u.past.under, s.Number, s.left()) != "" {
		return Partly
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
