package verbs

import (
	"errors"
	"path"
	"strings"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// reveal takes leading dots off names and, where the system has one, the flag away that hides an entry.
type reveal struct{ renames }

// Traits implements Verb.
func (reveal) Traits() doing.Traits {
	return doing.Traits{Goes: true, Upwards: true}
}

func (reveal) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	dir, name := path.Split(string(s.Path))
	plain := strings.TrimLeft(name, ".")
	s.Unflag = e.Marks&entry.MarkFlaggedHidden != 0
	switch {
	case plain == name && s.Unflag:
		s.To = s.Path
		return nil
	case plain == name:
		return doing.ErrNotHidden
	case plain == "":
		return doing.ErrNameless
	}
	if err := errors.Join(p.NotMounted(s), p.MayLeave(s)); err != nil {
		return err
	}
	return p.Goes(s, dir+plain)
}

func (reveal) Words(_ *plans.Plan) (ask, done string) { return "reveal", "revealed" }

func (reveal) Does(_ *plans.Plan, s *plans.Step) string {
	text := "reveal"
	if s.To != "" && s.To != s.Path {
		text += " as " + path.Base(string(s.To))
	}
	if s.Unflag {
		text += ", and remove the flag that hides it"
	}
	return text
}

// setHides sets the flag that hides an entry, or takes it away.
func setHides(calls *sys.Calls, at int, name string, on bool) error {
	fd, err := calls.OpenFile(at, name)
	if err != nil {
		return err
	}
	defer calls.Close(fd)
	return calls.SetHides(fd, on)
}

// Do implements Verb.
func (r reveal) Do(t *doing.Task) error {
	if !t.Step.Unflag {
		return r.renames.Do(t)
	}
	if t.Step.To == t.Step.Path {
		if err := t.BeginStep(journals.Event{}); err != nil {
			return err
		}
		return setHides(t.Calls, t.From.At, t.From.Name, false)
	}
	if err := r.renames.Do(t); err != nil {
		return err
	}
	at, name, err := t.Carrying.To.At(string(t.Step.To))
	if err == nil {
		err = setHides(t.Calls, at, name, false)
	}
	if err != nil {
		return &tree.Partly{Done: 1, All: 1, Err: err}
	}
	return nil
}

// Undo implements Verb. The flag comes first, so that what was broken off in between is known by its path still.
func (r reveal) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	if !s.Unflag {
		return r.renames.Undo(u, s)
	}
	for _, full := range []string{string(s.To), string(s.Path)} {
		at, name, err := u.From.At(full)
		if err != nil {
			continue
		}
		st, err := u.Calls.Status(at, name)
		if openat.Gone(err) || err == nil && !u.IsIt(s, &st, &u.From) {
			continue
		}
		if err == nil {
			err = setHides(u.Calls, at, name, true)
		}
		if err != nil || s.To == s.Path {
			return err == nil, err
		}
		break
	}
	if s.To == s.Path {
		return false, doing.ErrMovedOn
	}
	return r.renames.Undo(u, s)
}

// Look implements Verb.
func (r reveal) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	if s.To != s.Path {
		return r.renames.Look(u, s)
	}
	at, name, st, done, err := u.Still(s)
	defer done()
	if err != nil {
		return journals.Begun
	}
	fd, err := u.Calls.OpenFile(at, name)
	if err != nil {
		return journals.Begun
	}
	defer u.Calls.Close(fd)
	switch hidden, err := u.Calls.Hides(fd); {
	case err != nil || st.Inode != s.Inode:
		return journals.Begun
	case hidden:
		return journals.NotBegun
	}
	return journals.Done
}

// Undoes implements Verb.
func (r reveal) Undoes(o *plans.Options, s *plans.Step) string {
	if s.To == s.Path {
		return "hidden by the flag again"
	}
	return r.renames.Undoes(o, s)
}
