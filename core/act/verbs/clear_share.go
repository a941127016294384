package verbs

import (
	"errors"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// sharing has spares share the blocks of the file that stays, where the file system can do that. They stay files of
// their own, so that there is nothing to undo.
type sharing struct{}

var (
	errNoShare = errors.New("files cannot share space on this file system")
	errSharing = errors.New("there is nothing to undo: the content of the files did not change")
)

// Plan makes sure that the file system can have two files share their content.
func (sharing) Plan(p *doing.Planning, s *plans.Step, _ *entry.Entry) error {
	if s.Kind != entry.KindFile.String() {
		return errOnlyFiles
	}
	if _, err := p.KeepersIn.Status(string(s.Keeper.Path)); err != nil {
		return err
	}
	at, name, err := p.Sources.At(string(s.Path))
	if err != nil {
		return err
	}
	keeperAt, keeperName, err := p.KeepersIn.At(string(s.Keeper.Path))
	if err != nil {
		return err
	}
	if p.Sources.Mount().Device != p.KeepersIn.Mount().Device {
		return errOtherDisk
	}
	fd, err := p.Calls.OpenFile(at, name)
	if err != nil {
		return err
	}
	defer p.Calls.Close(fd)
	keeperFD, err := p.Calls.OpenFile(keeperAt, keeperName)
	if err != nil {
		return err
	}
	defer p.Calls.Close(keeperFD)
	return shareTrouble(p.Calls.Share(keeperFD, fd, 0))
}

func shareTrouble(err error) error {
	switch {
	case errors.Is(err, sys.ErrNotSupported):
		return errNoShare
	case errors.Is(err, sys.ErrDiffers):
		return tree.ErrNotSpare
	}
	return err
}

func (sharing) Words(*plans.Plan) (ask, done string) {
	return "share the space of", "now sharing space"
}

func (sharing) does(_ *plans.Plan, _ *plans.Step, keeper string) string {
	return "will share space with " + keeper
}

func (sharing) Undoes(o *plans.Options, s *plans.Step) string { return remove{}.Undoes(o, s) }

func (sharing) ForGood(*plans.Options) error { return errSharing }

// Do has a spare share its content with the file that stays. The system compares
// them itself while nobody can write to either.
func (sharing) Do(t *doing.Task) error {
	p, err := t.Pair()
	if err != nil {
		return err
	}
	defer t.ClosePair(&p)
	if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	return shareTrouble(t.Calls.Share(p.KeeperFD, p.SpareFD, t.Status.Size))
}

func (sharing) Undo(*doing.Undoing, *journals.PastStep) (acted bool, err error) {
	return false, errSharing
}

// Look finds out whether the two files are still the same.
func (sharing) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	_, _, _, done, err := u.Still(s)
	defer done()
	if err != nil {
		return journals.Begun
	}
	return journals.Done
}
