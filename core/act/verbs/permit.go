package verbs

import (
	"errors"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
)

// permit sets permissions.
type permit struct {
	mode func(p entry.Permissions, folder bool) entry.Permissions // as it is asked for; nil until that is read
}

// Traits implements Verb.
func (permit) Traits() doing.Traits {
	return doing.Traits{Stays: true, Upwards: true, Links: true}
}

var (
	errSameMode = doing.So("it already has these permissions")
	errNoMode   = errors.New("a link has no permissions of its own; --through")
	errSetID    = errors.New("the system did not set all of these permissions")
)

// Prepare implements Preparer.
func (permit) Prepare(p *doing.Planner) (_ doing.Verb, err error) {
	v := permit{}
	v.mode, err = ParseMode(p.Options.Mode, p.Mask)
	return v, err
}

// Plan implements Verb.
func (v permit) Plan(p *doing.Planning, s *plans.Step, _ *entry.Entry) error {
	if s.Kind == entry.KindLink.String() {
		return errNoMode
	}
	before, err := entry.ParsePermissions(s.Mode)
	if err != nil {
		return err
	}
	if s.NewMode = v.mode(before, s.Kind == entry.KindFolder.String()).Octal(); s.NewMode == s.Mode {
		return errSameMode
	}
	return nil
}

func (permit) Words(_ *plans.Plan) (ask, done string) { return "change permissions of", "changed" }

func (permit) Does(p *plans.Plan, s *plans.Step) string {
	if s.NewMode == "" {
		return "permit " + p.Options.Mode
	}
	return s.Mode + " → " + s.NewMode
}

func (permit) Do(t *doing.Task) error {
	mode, err := entry.ParsePermissions(t.Step.NewMode)
	if shown := t.Own.Before(&t.Status); err == nil && shown.Permissions.Octal() != t.Step.Mode {
		err = openat.ErrChanged
	}
	if err != nil {
		return err
	}
	if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	if err := t.Calls.SetPermissions(t.From.At, t.From.Name, mode); err != nil {
		return err
	}
	now, err := t.Calls.Status(t.From.At, t.From.Name)
	if err == nil && now.Permissions != mode { // such as the set-group bit, of a file of another group
		err = errSetID
	}
	if err != nil {
		return t.TakeBack(err, t.Calls.SetPermissions(t.From.At, t.From.Name, t.Status.Permissions))
	}
	t.Own.Note(&t.Status, &now)
	return nil
}

// Undo gives an entry back its permissions, unless they were altered since.
func (permit) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	at, name, st, done, err := u.Still(s)
	defer done()
	if err != nil {
		return false, err
	}
	switch st.Permissions.Octal() {
	case s.Mode:
		return u.Own.Has(&st), nil
	case s.NewMode:
		before, err := entry.ParsePermissions(s.Mode)
		if err == nil {
			err = u.Calls.SetPermissions(at, name, before)
		}
		if err != nil {
			return false, err
		}
		if now, err := u.Calls.Status(at, name); err == nil {
			u.Own.Note(&st, &now)
		}
		return true, nil
	}
	return false, doing.ErrSince
}

func (permit) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	_, _, st, done, err := u.Still(s)
	defer done()
	if err != nil {
		return journals.Begun
	}
	switch st.Permissions.Octal() {
	case s.Mode:
		return journals.NotBegun
	case s.NewMode:
		return journals.Done
	}
	return journals.Begun
}

// Undoes implements Verb.
func (permit) Undoes(_ *plans.Options, s *plans.Step) string { return s.NewMode + " → " + s.Mode }
