package verbs

import (
	"path"
	"strings"

	"frankledger/core/act/doing"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
)

// move moves entries into a folder.
type move struct {
	renames
	sorting
}

// Prepare implements Preparer.
func (move) Prepare(p *doing.Planner) (doing.Verb, error) {
	by, err := sortingBy(p)
	return move{sorting: by}, err
}

// Traits implements Verb.
func (move) Traits() doing.Traits {
	return doing.Traits{Goes: true, Outermost: true, Whole: true, InTurn: true}
}

func (v move) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	full, err := v.to(p, s, e)
	switch {
	case err != nil:
		return err
	case full == string(s.Path):
		return doing.ErrHere
	case strings.HasPrefix(full, string(s.Path)+"/"):
		return doing.ErrInItself
	}
	if err := p.Goes(s, full); err != nil {
		return err
	}
	across, err := p.Across(s, path.Dir(full))
	if err == nil {
		err = p.SameButCase(s, across)
	}
	if err != nil {
		return err
	}
	return p.Leave(s, e, across)
}

func (move) Words(p *plans.Plan) (ask, done string) {
	return "move into " + into(p), "moved"
}

func (move) Does(p *plans.Plan, s *plans.Step) string {
	rel, in := strings.CutPrefix(string(s.To), string(p.Options.Into)+"/")
	if !in {
		rel = string(s.To) // as edited
	}
	if s.Mounted {
		return "move everything in it as " + rel + "; the folder stays, because a file system is mounted on it"
	}
	return "move as " + rel
}
