package verbs

import (
	"errors"
	"path"

	"golang.org/x/sys/unix"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// create makes empty files and folders.
type create struct{}

// Traits implements Verb.
func (create) Traits() doing.Traits { return doing.Traits{Makes: true, InTurn: true} }

// Plan implements Verb. What is to be made has no entry.
func (create) Plan(p *doing.Planning, s *plans.Step, _ *entry.Entry) error {
	if s.Kind == entry.KindFile.String() {
		s.NewMode = (anyFile &^ p.Mask).Octal()
	}
	return p.IsFree(s)
}

func (create) Words(*plans.Plan) (ask, done string) { return "create", "created" }

func (create) Does(_ *plans.Plan, s *plans.Step) string { return "create an empty " + s.Kind }

// What is made has these permissions, without those of the mask of the person: the system takes these from a folder.
const (
	anyFile   entry.Permissions = 0o666
	anyFolder uint32            = 0o777
)

// Do makes it under another name, so that it is known again, and gives it its own.
func (create) Do(t *doing.Task) error {
	at, name, err := t.Carrying.To.At(string(t.Step.Path))
	if err != nil {
		return err
	}
	if _, err := t.Calls.Status(at, name); !openat.Gone(err) {
		if err == nil {
			err = openat.ErrTaken
		}
		return err
	}
	if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	under := t.Journal.Under(t.Number)
	if err := makeEmpty(t, at, under); err != nil {
		return err
	}
	st, err := t.Calls.Status(at, under)
	if err == nil {
		t.Journal.Note(journals.Event{Copied: t.Number, Inode: st.Inode, Device: st.Device, Volume: t.Volumes.Of(t.Calls, at, under, &st).ID})
		if err = t.Journal.Sync(); err != nil {
			err = &doing.JournalError{Err: err}
		}
	}
	if err == nil {
		err = openat.Taken(t.Calls.Rename(at, under, at, name))
	}
	if err != nil {
		return errors.Join(err, dropEmpty(t.Calls, at, under, &st))
	}
	t.To = string(t.Step.Path)
	if err := t.Calls.SyncFolder(at); err != nil {
		return &tree.Partly{Done: 1, All: 1, Err: err}
	}
	return nil
}

// makeEmpty makes an empty file or folder.
func makeEmpty(t *doing.Task, at int, under string) error {
	if t.Step.Kind == entry.KindFolder.String() {
		return t.Calls.MakeFolder(at, under, anyFolder)
	}
	fd, err := t.Calls.CreateFile(at, under)
	if err != nil {
		return err
	}
	t.Calls.Close(fd)
	mode, err := entry.ParsePermissions(t.Step.NewMode)
	if err != nil {
		return err
	}
	return t.Calls.SetPermissions(at, under, mode)
}

// dropEmpty removes what is empty; that there is nothing is no error.
func dropEmpty(calls *sys.Calls, at int, name string, st *sys.Status) (err error) {
	if st.Kind == entry.KindFolder {
		err = calls.RemoveFolder(at, name)
	} else {
		err = calls.Unlink(at, name)
	}
	if openat.Gone(err) {
		return nil
	}
	return err
}

// Undo removes what was made, if it is still empty.
func (create) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	at, name, err := u.From.At(string(s.Path))
	if openat.Gone(err) {
		return false, doing.ErrMovedOn
	}
	if err != nil {
		return false, err
	}
	under := u.Past.Under(s.Number)
	if st, err := u.Calls.Status(at, under); err == nil { // it was being made, or being taken away
		if st.Kind == entry.KindFile && st.Size > 0 {
			return false, doing.ErrSince
		}
		return true, notEmpty(dropEmpty(u.Calls, at, under, &st))
	}
	st, err := u.Calls.Status(at, name)
	switch {
	case openat.Gone(err) || err == nil && !u.IsCopy(s, &st):
		if s.State == journals.Done && !s.Dropping {
			return false, doing.ErrMovedOn
		}
		return s.Dropping && openat.Gone(err), nil
	case err != nil:
		return false, err
	case st.Kind == entry.KindFile && (st.Size > 0 || st.Links > 1):
		return false, doing.ErrSince
	}
	u.Journal.Note(journals.Event{Drop: s.Number})
	if err := u.Journal.Flush(); err != nil {
		return false, err
	}
	if st.Kind == entry.KindFolder {
		return true, notEmpty(u.Calls.RemoveFolder(at, name))
	}
	if err := openat.Taken(u.Calls.Rename(at, name, at, under)); err != nil {
		return false, err
	}
	now, err := u.Calls.Status(at, under)
	if err == nil && (now.Size > 0 || now.Inode != st.Inode || now.Links > 1) { // written to in between
		return false, errors.Join(doing.ErrSince, openat.Taken(u.Calls.Rename(at, under, at, name)))
	}
	return true, u.Calls.Unlink(at, under)
}

// notEmpty says of a folder that it is not as it was made.
func notEmpty(err error) error {
	if errors.Is(err, unix.ENOTEMPTY) || errors.Is(err, unix.EEXIST) {
		return doing.ErrSince
	}
	return err
}

// Look implements Verb.
func (create) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	if tree.LeftUnder(&u.From, &plans.Step{Path: s.Path}, u.Past.Under, s.Number, false) != "" {
		return journals.Partly
	}
	st, err := u.From.Status(string(s.Path))
	switch {
	case openat.Gone(err):
		return journals.NotBegun
	case err != nil:
		return journals.Begun
	case u.IsCopy(s, &st):
		return journals.Done
	}
	return journals.NotBegun
}

// Undoes implements Verb.
func (create) Undoes(_ *plans.Options, s *plans.Step) string {
	return "removed again, if it is still empty: " + path.Base(string(s.Path))
}
