package verbs

import (
	"errors"
	"path"
	"strings"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
)

// renames are the verbs after which an entry has another path.
type renames struct{}

// hide gives names a leading dot.
type hide struct{ renames }

// Traits implements Verb.
func (hide) Traits() doing.Traits {
	return doing.Traits{Goes: true, Upwards: true, Outermost: true, Dots: true}
}

func (hide) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	dir, name := path.Split(string(s.Path))
	if entry.HiddenName(name) {
		return doing.ErrHidden
	}
	if err := errors.Join(p.NotMounted(s), p.MayLeave(s)); err != nil {
		return err
	}
	return p.Goes(s, dir+"."+name)
}

func (hide) Words(_ *plans.Plan) (ask, done string) { return "hide", "hidden" }

func (hide) Does(_ *plans.Plan, s *plans.Step) string {
	if s.To == "" {
		return "hide"
	}
	return "hide as " + path.Base(string(s.To))
}

// reveal takes leading dots off names.
type reveal struct{ renames }

// Traits implements Verb.
func (reveal) Traits() doing.Traits {
	return doing.Traits{Goes: true, Upwards: true}
}

func (reveal) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	dir, name := path.Split(string(s.Path))
	plain := strings.TrimLeft(name, ".")
	switch {
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
	if s.To == "" {
		return "reveal"
	}
	return "reveal as " + path.Base(string(s.To))
}

// move moves entries into a folder.
type move struct{ renames }

// Traits implements Verb.
func (move) Traits() doing.Traits {
	return doing.Traits{Goes: true, Outermost: true, Whole: true, InTurn: true}
}

func (move) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	to := path.Base(string(s.Path))
	if p.Options.KeepFolders && !e.Self {
		to = e.Relative()
	}
	full := path.Join(string(p.Options.Into), to)
	switch {
	case full == string(s.Path):
		return doing.ErrHere
	case strings.HasPrefix(full, string(s.Path)+"/"):
		return doing.ErrInItself
	}
	if err := p.Goes(s, full); err != nil {
		return err
	}
	across, err := p.Across(s, path.Dir(full))
	if err != nil {
		return err
	}
	return p.Leave(s, e, across)
}

func (move) Words(p *plans.Plan) (ask, done string) {
	return "move into " + string(p.Options.Into), "moved"
}

func (move) Does(p *plans.Plan, s *plans.Step) string {
	rel, in := strings.CutPrefix(string(s.To), string(p.Options.Into)+"/")
	if !in {
		rel = string(s.To) // as edited
	}
	if s.Mounted {
		return "move all in it as " + rel + "; the folder stays, as a file system is mounted on it"
	}
	return "move as " + rel
}

// Undoes implements Verb.
func (renames) Undoes(_ *plans.Options, s *plans.Step) string { return "back from " + string(s.To) }

// Do renames. To another file system it moves by copying.
func (renames) Do(t *doing.Task) error {
	to := string(t.Step.To)
	made, err := t.MakeFolders(path.Dir(to))
	if err == nil {
		err = t.Rename(to)
	}
	if err != nil && !doing.IsPartly(err) {
		t.Unmake(made)
	}
	return err
}

// Undo puts an entry back to where it was.
func (r renames) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	return u.Back(s)
}

func (r renames) Look(u *doing.Undoing, s *journals.PastStep) journals.State { return u.LookAtPaths(s) }
