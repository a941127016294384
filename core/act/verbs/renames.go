package verbs

import (
	"path"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
)

// renames are the verbs after which an entry has another path.
type renames struct{}

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
