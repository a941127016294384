package verbs

import (
	"errors"
	"path"

	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
)

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
