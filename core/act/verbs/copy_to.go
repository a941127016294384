package verbs

import (
	"errors"
	"fmt"
	"path"
	"strings"

	"frankledger/core/act/copying"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// copyTo copies entries into a folder, with all that is in them.
type copyTo struct{ sorting }

// Prepare implements Preparer.
func (copyTo) Prepare(p *doing.Planner) (doing.Verb, error) {
	by, err := sortingBy(p)
	return copyTo{by}, err
}

// Traits implements Verb.
func (copyTo) Traits() doing.Traits {
	return doing.Traits{Goes: true, Outermost: true, Whole: true, InTurn: true, Copies: true}
}

func (v copyTo) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	full, err := v.to(p, s, e)
	switch {
	case err != nil:
		return err
	case full == string(s.Path) && !p.Options.Number:
		return doing.ErrHere
	case strings.HasPrefix(full, string(s.Path)+"/"):
		return doing.ErrInItself
	case s.Path == "/":
		return doing.ErrRoot
	}
	if err := p.Goes(s, full); err != nil {
		return err
	}
	kept, err := p.Target(path.Dir(full))
	if err == nil {
		err = p.SameButCase(s, kept)
	}
	if err != nil {
		return err
	}
	if s.Kind != entry.KindFolder.String() {
		return p.CopyNotes(s, kept)
	}
	at, name, err := p.Sources.At(string(s.Path))
	if err != nil {
		return err
	}
	survey, err := (&tree.Surveyor{Calls: p.Calls, To: kept, Mine: tree.OwnerKept, NoteMounts: true}).Survey(p.Ctx, at, name)
	if err != nil {
		return err
	}
	s.Holds = &survey.Holds
	if len(survey.Mounts) > 0 {
		return doing.MountsInside(survey.Mounts)
	}
	return p.Note(s, survey, kept)
}

func (copyTo) Words(p *plans.Plan) (ask, done string) {
	return "copy into " + into(p), "copied"
}

func (copyTo) Does(p *plans.Plan, s *plans.Step) string {
	rel, in := strings.CutPrefix(string(s.To), string(p.Options.Into)+"/")
	if !in {
		rel = string(s.To) // as edited
	}
	return "copy as " + rel
}

// Do makes a copy under another name, reads it back, and gives it its own name when it is
// whole.
func (copyTo) Do(t *doing.Task) error {
	to := string(t.Step.To)
	made, err := t.MakeFolders(path.Dir(to))
	if err == nil {
		err = copyAs(t, to)
	}
	if err != nil {
		t.Unmake(made)
	}
	return err
}

func copyAs(t *doing.Task, to string) error {
	at, name, err := t.Carrying.To.At(to)
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
	c := &copying.Copier{Surveyor: t.Surveyor(), Again: t.Copies.NameAgain(t.Surveyor())}
	v := t.Survey
	if v == nil {
		if v, err = c.Survey(t.Ctx, t.From.At, t.From.Name); err != nil {
			return err
		}
	}
	under := t.Journal.Under(t.Number)
	copied, err := c.Whole(t.Ctx, t.From, openat.Spot{At: at, Name: name}, under, v)
	if err == nil && t.Plan.Options.Strict && c.Lost != (copying.Lost{}) {
		err = fmt.Errorf("%w: %s", copying.ErrLosses, c.Lost)
	}
	if err == nil {
		t.NoteDetails(c)
		t.Journal.Note(journals.Event{Copied: t.Number, Inode: copied.Inode, Device: copied.Device, Volume: t.Volumes.Of(t.Calls, at, under, &copied).ID})
		if err = t.Journal.Sync(); err != nil {
			err = &doing.JournalError{Err: err}
		}
	}
	if err == nil {
		err = openat.Taken(t.Calls.Rename(at, under, at, name))
	}
	if err != nil {
		return c.DiscardMadeAfter(err, at, under, t.From)
	}
	t.Notes = c.Lost.String()
	c.CopiesIn(to, t.Copies)
	t.To = to
	t.Carrying.To.Close()
	t.Keepers.Close()
	return noteCopy(t, to, &copied, c)
}

// noteCopy has the journal say what the copy is, so that undo can tell whether it still is.
func noteCopy(t *doing.Task, to string, made *sys.Status, c *copying.Copier) error {
	at, name, err := t.Carrying.To.At(to)
	if err == nil {
		err = t.Calls.SyncFolder(at)
	}
	var now *tree.Survey
	surveyor, next, as := t.Surveyor(), 0, true
	surveyor.Each = func(w *openat.Walk, st *sys.Status) {
		as = as && next < len(c.Made) && c.Made[next].Is(w, st)
		next++
	}
	if err == nil {
		now, err = surveyor.Survey(t.Ctx, at, name)
	}
	var st sys.Status
	if err == nil {
		st, err = t.Calls.Status(at, name)
	}
	if err == nil && openat.NodeOf(&st) != openat.NodeOf(made) {
		err = doing.ErrMovedOn
	}
	if err != nil {
		return &tree.Partly{Done: 1, All: 1, Err: err}
	}
	if !as || next != len(c.Made) {
		t.Notes = plans.JoinNotes(t.Notes, "something was put into the copy while it was made, so undo leaves it alone")
		return nil
	}
	changed := exact.Time(st.Changed)
	t.Set.Changed, t.Set.Digest = &changed, now.Digest
	return nil
}

// Undo removes a copy that is still as it was made.
func (copyTo) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	under := u.Past.Under(s.Number)
	at, name, err := u.From.At(string(s.To))
	if openat.Gone(err) { // its folder, too
		if s.State == journals.Done && !s.Dropping {
			return false, doing.ErrMovedOn
		}
		return s.Dropping, nil
	}
	if err != nil {
		return false, err
	}
	surveyor := u.Surveyor()
	surveyor.Ours = true
	left, err := u.Calls.Status(at, under)
	if err == nil { // it was being made, or being taken away
		if s.State != journals.Done || s.Dropping || !u.IsCopy(s, &left) {
			originalAt, original, err := u.To.At(string(s.Path))
			if err != nil {
				return false, err
			}
			return true, surveyor.DiscardBegun(u.Ctx, at, under, openat.Spot{At: originalAt, Name: original})
		}
		if err := u.Settle(s); err != nil {
			return false, err
		}
		if at, name, err = u.From.At(string(s.To)); err != nil {
			return false, err
		}
	} else if !openat.Gone(err) {
		return false, err
	}
	st, err := u.Calls.Status(at, name)
	if openat.Gone(err) || err == nil && !u.IsCopy(s, &st) {
		if s.State == journals.Done && !s.Dropping {
			return false, doing.ErrMovedOn
		}
		return s.Dropping && openat.Gone(err), nil
	}
	if err != nil {
		return false, err
	}
	v, err := surveyor.Survey(u.Ctx, at, name)
	if err != nil {
		return false, err
	}
	if shown := u.Own.Before(&st); s.Set.Changed == nil || shown.Changed != entry.Time(*s.Set.Changed) || v.Digest != s.Set.Digest {
		if err := isStillCopy(u, s, openat.Spot{At: at, Name: name}, v); err != nil {
			return false, err
		}
	}
	return true, dropWhole(u, s, openat.Spot{At: at, Name: name}, under, v, surveyor)
}

// isStillCopy returns an error unless a copy is the same in all as what it is a copy of: it
// was broken off, or has a file that another step has given a name, or taken one from, so
// that it is not as it was when it was made.
func isStillCopy(u *doing.Undoing, s *journals.PastStep, copied openat.Spot, v *tree.Survey) error {
	original, name, err := u.To.At(string(s.Path))
	if err != nil {
		return doing.ErrSince
	}
	became := map[string]entry.Time{}
	for _, one := range s.Held {
		became[one.Relative] = one.Became
	}
	err = u.Surveyor().IsIn(u.Ctx, copied, v, openat.Spot{At: original, Name: name}, make([]byte, 2*tree.Piece), became)
	for _, differs := range []error{tree.ErrNotSpare, plans.ErrNoKeeper, openat.ErrChanged, plans.ErrKeeper, plans.ErrSameFile, tree.ErrOtherOwner} {
		if errors.Is(err, differs) {
			return doing.ErrSince
		}
	}
	return err
}

// dropWhole removes a copy that is as it was made.
func dropWhole(u *doing.Undoing, s *journals.PastStep, from openat.Spot, under string, v *tree.Survey, surveyor *tree.Surveyor) error {
	u.Journal.Note(journals.Event{Drop: s.Number})
	if err := u.Journal.Flush(); err != nil {
		return err
	}
	err := surveyor.Aside(from.At, from.Name, under, &v.Top)
	if err != nil {
		return err
	}
	removed := int64(0)
	switch {
	case v.Top.Kind == entry.KindFolder:
		removed, err = surveyor.RemoveAll(u.Ctx, from.At, under, v, false)
	default:
		err = surveyor.Unlink(from.At, under, &v.Top)
	}
	if err != nil && removed == 0 {
		return surveyor.BackAside(err, from.At, from.Name, under)
	}
	return err
}

func (copyTo) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	if tree.LeftUnder(&u.From, &plans.Step{Path: s.To}, u.Past.Under, s.Number, false) != "" {
		return journals.Partly
	}
	st, err := u.From.Status(string(s.To))
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
func (copyTo) Undoes(_ *plans.Options, s *plans.Step) string {
	return "the copy is removed: " + string(s.To)
}
