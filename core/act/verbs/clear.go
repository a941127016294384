package verbs

import (
	"errors"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
)

// clearing removes spares, or has them take no room, in one of three ways.
type clearing struct{}

// strategy is one of the ways to clear spares. Right before it does that to one, it compares it, byte by
// byte, with what stays of it.
type strategy interface {
	Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error
	// does says what it does to a spare of which a file stays.
	does(p *plans.Plan, s *plans.Step, keeper string) string
	Undoes(o *plans.Options, s *plans.Step) string
	Words(p *plans.Plan) (ask, done string)
	Do(t *doing.Task) error
	Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error)
	Look(u *doing.Undoing, s *journals.PastStep) journals.State
	ForGood(o *plans.Options) error
}

// by is the strategy that options name.
func by(o *plans.Options) strategy {
	switch o.By {
	case plans.ByLinks:
		return linking{}
	case plans.ByShared:
		return sharing{}
	}
	return removing{}
}

// Why a spare is not cleared.
var (
	errNoSpare   = errors.New("the plan does not say which file stays")
	errOnlyFiles = errors.New("this works only for files")
	errOtherDisk = errors.New("the file that stays is on another disk")
)

// Traits implements Verb.
func (clearing) Traits() doing.Traits {
	return doing.Traits{Outermost: true, Whole: true, Frees: true, Parts: true}
}

// Plan implements Verb.
func (clearing) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	if s.Keeper == nil {
		return errNoSpare
	}
	return by(&p.Options).Plan(p, s, e)
}

// Words implements Verb.
func (clearing) Words(p *plans.Plan) (ask, done string) { return by(&p.Options).Words(p) }

// Does implements Verb.
func (clearing) Does(p *plans.Plan, s *plans.Step) string {
	if s.Keeper == nil {
		return ""
	}
	return by(&p.Options).does(p, s, p.Called(s.Keeper.Entry, s.Keeper.Path))
}

// Do implements Verb.
func (clearing) Do(t *doing.Task) error { return by(&t.Plan.Options).Do(t) }

// Undo implements Verb.
func (clearing) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	return by(&u.Past.Options).Undo(u, s)
}

// Look implements Verb.
func (clearing) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	return by(&u.Past.Options).Look(u, s)
}

// Undoes implements Verb.
func (clearing) Undoes(o *plans.Options, s *plans.Step) string { return by(o).Undoes(o, s) }

// ForGood implements Final.
func (clearing) ForGood(o *plans.Options) error { return by(o).ForGood(o) }

// removing puts spares into the trash, or removes them for good.
type removing struct{ remove }

func (r removing) does(p *plans.Plan, s *plans.Step, keeper string) string {
	return r.Does(p, s) + "; " + keeper + " stays"
}
