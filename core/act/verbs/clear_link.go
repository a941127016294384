package verbs

import (
	"errors"
	"fmt"

	"golang.org/x/sys/unix"

	"frankledger/core/act/copying"
	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// linking has spares become other names (hard links) of the file that stays.
type linking struct{}

var errNoExchange = errors.New("on this file system, the file would be missing for a moment")

// Plan makes sure that a spare can become another name of the file that stays without
// anybody being able to do more, or less.
func (linking) Plan(p *doing.Planning, s *plans.Step, _ *entry.Entry) error {
	if s.Kind != entry.KindFile.String() {
		return errOnlyFiles
	}
	stays, err := p.KeepersIn.Status(string(s.Keeper.Path))
	if err != nil {
		return err
	}
	at, name, err := p.Sources.At(string(s.Path))
	if err != nil {
		return err
	}
	st, err := p.Calls.Status(at, name)
	if err != nil {
		return err
	}
	if st.Device != stays.Device || st.Mount != stays.Mount {
		return errOtherDisk
	}
	keeperAt, keeperName, err := p.KeepersIn.At(string(s.Keeper.Path))
	if err != nil {
		return err
	}
	alike, err := tree.SameRights(p.Calls, openat.Spot{At: at, Name: name}, &st, openat.Spot{At: keeperAt, Name: keeperName}, &stays)
	if err != nil {
		return err
	}
	if !alike {
		return tree.ErrOtherOwner
	}
	if st.Modified != stays.Modified {
		s.AddNote("it gets the times of the file that stays")
	}
	if st.Links > 1 {
		l := p.Linked[openat.NodeOf(&st)]
		if l == nil {
			l = &doing.Linked{Names: tree.Names{All: st.Links}}
			p.Linked[openat.NodeOf(&st)] = l
		}
		l.Met++
		l.Steps = append(l.Steps, s)
	}
	return nil
}

func (linking) Words(*plans.Plan) (ask, done string) {
	return "make hard links of", "turned into hard links"
}

func (linking) does(_ *plans.Plan, _ *plans.Step, keeper string) string {
	return "becomes another name of " + keeper
}

func (linking) Undoes(*plans.Options, *plans.Step) string { return "a file of its own again" }

func (linking) ForGood(*plans.Options) error { return nil }

// Do has a spare become another name of the file that stays. Both names are there
// at every moment.
func (linking) Do(t *doing.Task) error {
	p, err := t.Pair()
	if err != nil {
		return err
	}
	defer t.ClosePair(&p)
	alike, err := tree.SameRights(t.Calls, t.From, &t.Status, openat.Spot{At: p.KeeperAt, Name: p.KeeperName}, &p.Keeper)
	switch {
	case err != nil:
		return err
	case !alike:
		return tree.ErrOtherOwner
	}
	if err := t.Same(&p); err != nil {
		return err
	}
	if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	under := t.Journal.Under(t.Number)
	if err := t.Calls.NameAgain(p.KeeperAt, p.KeeperName, t.From.At, under); err != nil {
		if errors.Is(err, unix.EXDEV) {
			err = errOtherDisk
		}
		return err
	}
	if err := swap(t, under, &p); err != nil {
		if doing.IsPartly(err) { // and what is beside it is the spare
			return err
		}
		if left := t.Surveyor().UnlinkLink(t.From.At, under, openat.NodeOf(&p.Keeper)); left != nil && !openat.Gone(left) {
			err = errors.Join(err, left)
		}
		return err
	}
	if after, err := t.Calls.Status(t.From.At, t.From.Name); err == nil {
		t.Own[openat.NodeOf(&p.Keeper)] = tree.OwnChange{Before: t.Own.Before(&p.Keeper), After: after}
	}
	return nil
}

// swap has the name of the spare become one of the file that stays, which has the name
// under beside it, and removes the spare.
func swap(t *doing.Task, under string, p *doing.Pair) error {
	linked, err := t.Calls.Status(t.From.At, under)
	if err != nil {
		return err
	}
	if openat.NodeOf(&linked) != openat.NodeOf(&p.Keeper) || linked.Size != p.Keeper.Size || linked.Modified != p.Keeper.Modified {
		return plans.ErrKeeper
	}
	if err := t.Calls.Exchange(t.From.At, under, t.From.At, t.From.Name); err != nil {
		if errors.Is(err, sys.ErrNotSupported) {
			err = errNoExchange
		}
		return err
	}
	spare, err := t.Calls.Status(t.From.At, under)
	if err == nil && !tree.Alike(&t.Status, &spare) {
		err = openat.ErrChanged
	}
	if err == nil {
		err = t.Surveyor().Unlink(t.From.At, under, &t.Status)
	}
	if err != nil { // back to how it was
		if back := t.Calls.Exchange(t.From.At, under, t.From.At, t.From.Name); back != nil {
			return &tree.Partly{Done: 0, All: 1, Err: fmt.Errorf("%w; it is %s now: %w", err, under, back)}
		}
	}
	return err
}

// Look finds out whether a spare is a name of the file that stays.
func (linking) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	st, err := u.From.Status(string(s.Path))
	switch {
	case err != nil:
		return journals.Begun
	case u.IsIt(s, &st, &u.From):
		return journals.NotBegun
	case s.Keeper != nil && st.Inode == s.Keeper.Inode:
		return journals.Done
	}
	return journals.Begun
}

// Undo has what became another name of the file that stays be a file of its own again,
// with the times it had.
func (linking) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	at, name, err := u.From.At(string(s.Path))
	if err != nil {
		return false, err
	}
	st, err := u.Calls.Status(at, name)
	switch {
	case openat.Gone(err):
		return false, doing.ErrMovedOn
	case err != nil:
		return false, err
	}
	under := u.Past.Under(s.Number)
	beside, err := u.Calls.Status(at, under)
	if err != nil && !openat.Gone(err) {
		return false, err
	}
	there := err == nil
	isKeeper := func(st *sys.Status) bool { return s.Keeper != nil && st.Inode == s.Keeper.Inode }
	switch {
	case u.IsIt(s, &st, &u.From): // it was never done, or is taken back already
		if there && isKeeper(&beside) {
			err = u.Surveyor().UnlinkLink(at, under, openat.NodeOf(&beside))
		} else if there {
			err = tree.ErrNotOurs
		}
		return s.State == journals.Done, ignoreGone(err)
	case !isKeeper(&st) || st.Size != s.Keeper.Size:
		return false, doing.ErrMovedOn
	case there && u.IsIt(s, &beside, &u.From) && doing.IsPlausible(s, &beside): // broken off before it was removed
		if err := u.Calls.Exchange(at, under, at, name); err != nil {
			return false, err
		}
		return true, u.Surveyor().UnlinkLink(at, under, openat.NodeOf(&st))
	case st.Modified != entry.Time(s.Keeper.Modified) || st.Links < 2:
		return false, doing.ErrSince
	case there && isKeeper(&beside):
		err = u.Surveyor().UnlinkLink(at, under, openat.NodeOf(&beside))
	case there: // a copy that was being made
		err = u.Surveyor().DiscardBegun(u.Ctx, at, under, openat.Spot{At: at, Name: name})
	default:
		err = nil
	}
	if err != nil {
		return false, err
	}
	return copyApart(u, s, openat.Spot{At: at, Name: name}, under)
}

// copyApart makes a copy of a file of several names in the place of one of them; or gives that
// to the copy that there is, if the spare had several names, too.
func copyApart(u *doing.Undoing, s *journals.PastStep, from openat.Spot, under string) (acted bool, err error) {
	c := &copying.Copier{Surveyor: u.Surveyor()}
	joined, err := joinSpares(u, s, from, under)
	if err == nil && !joined {
		if err = c.Copy(u.Ctx, from.At, from.Name, from.At, under, nil); err == nil {
			err = u.Calls.SetTimes(from.At, under, entry.Time(s.Modified), entry.Time(s.Accessed))
		}
	}
	var made sys.Status
	if err == nil {
		made, err = u.Calls.Status(from.At, under)
	}
	if err == nil {
		err = u.NoteBack(s, &made, u.Volumes.Named(u.Calls, &u.From, &made))
	}
	if err == nil {
		err = u.Calls.Exchange(from.At, under, from.At, from.Name)
	}
	discard := func(err error) error {
		if joined {
			return errors.Join(err, u.Surveyor().UnlinkLink(from.At, under, openat.NodeOf(&made)))
		}
		if len(c.Made) > 0 {
			c.Made[0].Done = tree.DoneOf(&made) // it has got its times since
		}
		return c.DiscardMadeAfter(err, from.At, under, from)
	}
	if err != nil {
		return false, discard(err)
	}
	u.Notes = c.Lost.String()
	// Under the other name is one of the file that stays now: nothing else would have
	// more than one.
	other, err := u.Calls.Status(from.At, under)
	if err == nil && (other.Inode != s.Keeper.Inode || other.Links < 2) {
		if err := u.Calls.Exchange(from.At, under, from.At, from.Name); err != nil {
			return false, err
		}
		return false, discard(doing.ErrMovedOn)
	}
	if err == nil {
		err = u.Surveyor().UnlinkLink(from.At, under, openat.NodeOf(&other))
	}
	if err == nil {
		u.NoteApart(s)
	}
	return true, err
}

// joinSpares gives the spare that another step of the same file has got back one more name,
// if there is one.
func joinSpares(u *doing.Undoing, s *journals.PastStep, at openat.Spot, under string) (joined bool, err error) {
	for _, other := range u.Past.SameFile(s) {
		f := openat.NewFolders(u.Calls)
		otherAt, name, err := f.At(string(other.Path))
		var st sys.Status
		if err == nil {
			st, err = u.Calls.Status(otherAt, name)
		}
		joined := err == nil && u.IsIt(other, &st, &f) && st.Size == s.Size && st.Modified == entry.Time(s.Modified)
		if joined {
			err = u.Surveyor().Link(&tree.Copied{St: st}, otherAt, name, at.At, under)
		}
		f.Close()
		if joined || err != nil && !openat.Gone(err) {
			return err == nil, err
		}
	}
	return false, nil
}

func ignoreGone(err error) error {
	if openat.Gone(err) {
		return nil
	}
	return err
}
