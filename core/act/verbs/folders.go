package verbs

import (
	"path"

	"frankledger/core/act/doing"
	"frankledger/core/act/namepattern"
	"frankledger/core/act/plans"
	"frankledger/core/entry"
)

// sorting makes the folders that entries go into, by a pattern.
type sorting struct {
	folders namepattern.Folders // nil where there is none, or until it is read
}

// sortingBy reads the pattern of a planner.
func sortingBy(p *doing.Planner) (by sorting, err error) {
	if p.Options.Folders != "" {
		by.folders, err = namepattern.ParseFolders(string(p.Options.Folders), p.ZoneOfNames())
	}
	return by, err
}

// Needs implements Needer: what the pattern takes from entries.
func (sorting) Needs(p *doing.Planner) (entry.Facts, error) {
	by, err := sortingBy(p)
	return by.folders.Needs(), err
}

// to is the full path that an entry goes to.
func (v sorting) to(p *doing.Planning, s *plans.Step, e *entry.Entry) (string, error) {
	to := path.Base(string(s.Path))
	if p.Options.KeepFolders && !e.Self {
		to = e.Relative()
	}
	p.Counted++
	rel, err := v.folders.Path(e, string(s.Path), p.Counted)
	return path.Join(string(p.Options.Into), rel, to), err
}

// into is where entries go, as people are told.
func into(p *plans.Plan) string { return path.Join(string(p.Options.Into), string(p.Options.Folders)) }
