package act

import (
	"errors"

	"frankledger/core/entry"
)

// permit sets permissions.
type permit struct{ inPlace }

func (permit) upwards() bool { return true }

var (
	errSameMode = errors.New("it already has these permissions")
	errNoMode   = errors.New("a link has no permissions of its own; --through")
	errSetID    = errors.New("the system did not set all of these permissions")
)

func (permit) plan(p *planning, s *Step, _ *entry.Entry) error {
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
	return nil
}

func (permit) words(_ *Plan) (ask, done string) { return "permit", "changed" }

func (permit) does(p *Plan, s *Step) string {
	if s.NewMode == "" {
		return "permit " + p.Options.Mode
	}
	return s.Mode + " → " + s.NewMode
}

func (permit) do(t *task) error {
	mode, err := entry.ParsePermissions(t.step.NewMode)
	if shown := t.own.before(&t.st); err == nil && shown.Permissions.Octal() != t.step.Mode {
		err = errChanged
	}
	if err != nil {
		return err
	}
	if err := t.begin(event{}); err != nil {
		return err
	}
	if err := t.Calls.SetPermissions(t.from.at, t.from.name, mode); err != nil {
		return err
	}
	now, err := t.Calls.Status(t.from.at, t.from.name)
	if err == nil && now.Permissions != mode { // such as the set-group bit, of a file of another group
		err = errSetID
	}
	if err != nil {
		return t.takeBack(err, t.Calls.SetPermissions(t.from.at, t.from.name, t.st.Permissions))
	}
	t.own.note(&t.st, &now)
	return nil
}

// undo gives an entry back its permissions, unless they were altered since.
func (permit) undo(u *undoing, s *PastStep) (acted bool, err error) {
	at, name, st, done, err := u.still(s)
	defer done()
	if err != nil {
		return false, err
	}
	switch st.Permissions.Octal() {
	case s.Mode:
		return u.own.has(&st), nil
	case s.NewMode:
		before, err := entry.ParsePermissions(s.Mode)
		if err == nil {
			err = u.Calls.SetPermissions(at, name, before)
		}
		if err != nil {
			return false, err
		}
		if now, err := u.Calls.Status(at, name); err == nil {
			u.own.note(&st, &now)
		}
		return true, nil
	}
	return false, errSince
}

func (permit) look(u *undoing, s *PastStep) State {
	_, _, st, done, err := u.still(s)
	defer done()
	if err != nil {
		return Begun
	}
	switch st.Permissions.Octal() {
	case s.Mode:
		return NotBegun
	case s.NewMode:
		return Done
	}
	return Begun
}
