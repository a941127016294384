package verbs

import (
	"errors"
	"path"
	"strings"

	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
)

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
