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

// clearing removes spares, or has them take no room. Right before that is done to one,
// it is compared, byte by byte, with what stays of it.
type clearing struct{ remove }

// Traits implements Verb.
func (clearing) Traits() doing.Traits {
	return doing.Traits{Outermost: true, Whole: true, Frees: true, Parts: true}
}

func (c clearing) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	switch {
	case s.Keeper == nil:
		return errNoSpare
	case p.Options.By == plans.ByRemoving:
		return c.remove.Plan(p, s, e)
	case s.Kind != entry.KindFile.String():
		return errOnlyFiles
	}
	stays, err := p.KeepersIn.Status(string(s.Keeper.Path))
	if err != nil {
		return err
	}
	if p.Options.By == plans.ByShared {
		return shares(p, s)
	}
	return links(p, s, &stays)
}

func (c clearing) Words(p *plans.Plan) (ask, done string) {
	switch p.Options.By {
	case plans.ByLinks:
		return "make one file with the file that stays of", "made one with the file that stays"
	case plans.ByShared:
		return "have share its content with the file that stays", "sharing their content"
	}
	return c.remove.Words(p)
}

func (c clearing) Does(p *plans.Plan, s *plans.Step) string {
	if s.Keeper == nil {
		return ""
	}
	keeper := s.Keeper.Shown
	if keeper == "" {
		keeper = string(s.Keeper.Path)
	}
	switch p.Options.By {
	case plans.ByLinks:
		return "becomes another name of " + keeper
	case plans.ByShared:
		return "shares its content with " + keeper
	}
	return c.remove.Does(p, s) + "; " + keeper + " stays"
}

func (c clearing) Do(t *doing.Task) error {
	switch t.Plan.Options.By {
	case plans.ByLinks:
		return becomeLink(t)
	case plans.ByShared:
		return becomeShared(t)
	}
	return c.remove.Do(t)
}

// Why a spare is not removed.
var (
	errNoSpare    = errors.New("nothing says what stays of it")
	errOnlyFiles  = errors.New("only files can be cleared so")
	errOtherDisk  = errors.New("it is on another disk than the file that stays")
	errNoExchange = errors.New("this file system cannot do that without a moment at which the file is missing")
	errNoShare    = errors.New("this file system cannot have files share their content")
	errSharing    = errors.New("there is nothing to take back: what is in the files was not altered")
)

// links makes sure that a spare can become another name of the file that stays without
// anybody being able to do more, or less.
func links(p *doing.Planning, s *plans.Step, stays *sys.Status) error {
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
	alike, err := tree.SameRights(p.Calls, openat.Spot{At: at, Name: name}, &st, openat.Spot{At: keeperAt, Name: keeperName}, stays)
	if err != nil {
		return err
	}
	if !alike {
		return tree.ErrOtherOwner
	}
	if st.Modified != stays.Modified {
		s.AddNote("it will have the times of the file that stays")
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

// becomeLink has a spare become another name of the file that stays. Both names are there
// at every moment.
func becomeLink(t *doing.Task) error {
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

// shares makes sure that the file system can have two files share their content.
func shares(p *doing.Planning, s *plans.Step) error {
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

// becomeShared has a spare share its content with the file that stays. The system compares
// them itself while nobody can write to either.
func becomeShared(t *doing.Task) error {
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

func (c clearing) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	switch u.Past.Options.By {
	case plans.ByLinks:
		return partLink(u, s)
	case plans.ByShared:
		return false, errSharing
	}
	return c.remove.Undo(u, s)
}

func (c clearing) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	switch u.Past.Options.By {
	case plans.ByLinks:
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
	case plans.ByShared:
		_, _, _, done, err := u.Still(s)
		defer done()
		if err != nil {
			return journals.Begun
		}
		return journals.Done
	}
	return c.remove.Look(u, s)
}

// partLink has what became another name of the file that stays be a file of its own again,
// with the times that it had.
func partLink(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
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

// Undoes implements Verb.
func (c clearing) Undoes(o *plans.Options, s *plans.Step) string {
	if o.By == plans.ByLinks {
		return "a file of its own again"
	}
	return c.remove.Undoes(o, s)
}

// ForGood implements Final.
func (c clearing) ForGood(o *plans.Options) error {
	switch o.By {
	case plans.ByShared:
		return errSharing
	case plans.ByRemoving:
		return c.remove.ForGood(o)
	}
	return nil
}
