package doing

import (
	"context"
	"errors"
	"fmt"
	"path"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/act/copying"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// LookAtPaths finds out by the two paths of a step what became of it.
func (u *Undoing) LookAtPaths(s *journals.PastStep) journals.State {
	here, there, err := u.AreAt(s)
	switch {
	case err != nil:
		return journals.Begun
	case s.Copied != nil && there && here:
		return journals.Partly
	case there:
		return journals.Done
	case here:
		return journals.NotBegun
	}
	return journals.Begun
}

// IsAt reports whether the entry of a step, or the copy that was made of it, has a
// path. That it could not be looked at is an error, and not that it is not there.
func (u *Undoing) IsAt(full string, s *journals.PastStep, in *openat.Folders) (bool, error) {
	if full == "" {
		return false, nil
	}
	st, err := in.Status(full)
	switch {
	case openat.Gone(err) || errors.Is(err, openat.ErrLink) || errors.Is(err, openat.ErrNoFolderNow):
		return false, nil
	case err != nil:
		return false, err
	}
	return u.IsIt(s, &st, in), nil
}

// AreAt reports at which of the paths of a step its entry is.
func (u *Undoing) AreAt(s *journals.PastStep) (here, there bool, err error) {
	if here, err = u.IsAt(string(s.Path), s, &u.To); err == nil {
		there, err = u.IsAt(string(s.To), s, &u.From)
	}
	return here, there, err
}

// Settle gives what has a passing name, as an action or its undo was broken off, the name that it had before.
func (u *Undoing) Settle(s *journals.PastStep) error {
	names := []string{u.Past.Under(s.Number)}
	if u.forGood() {
		names = append(names, u.Past.Under(tree.ForPassing))
	}
	last := ""
	for _, full := range []string{string(s.Path), string(s.To)} {
		if full == "" || path.Dir(full) == last {
			continue
		}
		last = path.Dir(full)
		for _, under := range names {
			if err := u.settleAs(s, full, under); err != nil {
				return err
			}
		}
	}
	return nil
}

// settleAs does so for one name.
func (u *Undoing) settleAs(s *journals.PastStep, full, under string) error {
	at, name, err := u.From.At(full)
	if openat.Gone(err) || errors.Is(err, openat.ErrLink) || errors.Is(err, openat.ErrNoFolderNow) {
		return nil
	}
	var st sys.Status
	if err == nil {
		st, err = u.Calls.Status(at, under)
	}
	if openat.Gone(err) {
		return nil
	}
	if err != nil {
		return err
	}
	if !u.IsIt(s, &st, &u.From) || !IsPlausible(s, &st) || s.Returning && full == string(s.Path) && !u.IsCopy(s, &st) {
		return nil // the beginning of a copy, which may have got the number that the entry had
	}
	if s.Returning && full == string(s.Path) { // a copy, of which some may have been taken away again
		if there, err := u.IsAt(string(s.To), s, &u.To); there || err != nil {
			return err
		}
	}
	err = openat.Taken(u.Calls.Rename(at, under, at, name))
	if err == openat.ErrTaken {
		return nil // it stays, or is a copy that is not needed
	}
	if err != nil {
		return err
	}
	if st.Kind == entry.KindFolder {
		u.From.Close()
		u.To.Close()
	}
	return nil
}

// IsPlausible reports whether what has the number of a step's entry can be that, on a file
// system that does not say when something was made: it may have given the number to the
// beginning of a copy, which gets its times and rights last.
func IsPlausible(s *journals.PastStep, st *sys.Status) bool {
	switch {
	case st.Born != (entry.Time{}) && s.Born != (exact.Time{}) || st.Inode != s.Inode:
		return true
	case st.Kind == entry.KindFolder:
		return st.Permissions.Octal() == s.Mode
	}
	return st.Modified == entry.Time(s.Modified) && (st.Kind != entry.KindFile || st.Size == s.Size)
}

// Back puts an entry back to where it was.
func (u *Undoing) Back(s *journals.PastStep) (acted bool, err error) {
	if err := u.Settle(s); err != nil {
		return false, err
	}
	here, there, err := u.AreAt(s)
	switch {
	case err != nil:
		return false, err
	case here && !there:
		// It was never done, or is undone already; a copy may have been begun.
		if (len(s.Held) > 0 || len(s.Linked) > 0 || s.Apart > 0) && s.State != journals.Failed { // it may have come back just before a kill
			u.NoteApart(s)
			return true, errors.Join(u.Discard(s), u.exactTimes(s))
		}
		if s.State == journals.Done { // likewise
			u.NoteApart(s)
		}
		return s.State == journals.Done || s.State == journals.Partly, u.Discard(s)
	case !there:
		return false, ErrMovedOn
	}
	at, name, err := u.From.At(string(s.To))
	if err != nil {
		return false, err
	}
	backAt, backName, err := u.To.At(string(s.Path))
	if err != nil {
		return false, err
	}
	if here && s.Copied != nil { // a move to another file system that was broken off
		return true, u.rejoin(s, openat.Spot{At: at, Name: name}, openat.Spot{At: backAt, Name: backName})
	}
	err = u.renameBack(s, openat.Spot{At: at, Name: name}, openat.Spot{At: backAt, Name: backName})
	renamed := err == nil
	if errors.Is(err, unix.EXDEV) {
		err = u.backAcross(s, openat.Spot{At: at, Name: name}, openat.Spot{At: backAt, Name: backName})
	}
	if err != nil {
		return false, err
	}
	if s.Kind == entry.KindFolder.String() {
		u.From.Close()
		u.To.Close()
	}
	if renamed {
		return true, u.renamedBack(s)
	}
	return true, nil
}

// renamedBack looks after what may be left of attempts to copy an entry, which is back by a
// rename, or another name of it.
func (u *Undoing) renamedBack(s *journals.PastStep) error {
	u.NoteApart(s)
	if s.Returning || len(s.Copied) > 0 {
		return u.Discard(s)
	}
	return nil
}

// renameBack renames an entry back, and makes sure that it was the one that was meant.
func (u *Undoing) renameBack(s *journals.PastStep, from, to openat.Spot) error {
	if err := openat.Taken(u.Calls.Rename(from.At, from.Name, to.At, to.Name)); err != nil {
		return err
	}
	st, err := u.Calls.Status(to.At, to.Name)
	if err == nil && !u.IsIt(s, &st, &u.To) {
		err = errors.Join(ErrMovedOn, openat.Taken(u.Calls.Rename(to.At, to.Name, from.At, from.Name)))
	}
	return err
}

// Discard removes what there is of copies that were not made whole, of an entry that is
// where it was: on the way there, and on the way back.
func (u *Undoing) Discard(s *journals.PastStep) error {
	err := u.discardIn(path.Dir(string(s.Path)), s)
	if to := path.Dir(string(s.To)); s.To != "" && to != path.Dir(string(s.Path)) {
		err = errors.Join(err, u.discardIn(to, s))
	}
	return err
}

// discardIn does so in one folder.
func (u *Undoing) discardIn(dir string, s *journals.PastStep) error {
	under := u.Past.Under(s.Number)
	at, _, err := u.From.At(path.Join(dir, under))
	var left sys.Status
	if err == nil {
		left, err = u.Calls.Status(at, under)
	}
	if openat.Gone(err) || errors.Is(err, openat.ErrLink) || errors.Is(err, openat.ErrNoFolderNow) {
		return nil
	}
	if err != nil {
		return err
	}
	originalAt, original, err := u.To.At(string(s.Path))
	var now sys.Status
	if err == nil {
		now, err = u.Calls.Status(originalAt, original)
	}
	if err == nil && openat.NodeOf(&now) == openat.NodeOf(&left) {
		err = tree.ErrNotOurs // another name of it, and no copy
	}
	if err != nil {
		return err
	}
	return u.Surveyor().DiscardBegun(u.Ctx, at, under, openat.Spot{At: originalAt, Name: original})
}

// rejoin puts together what is in two places.
func (u *Undoing) rejoin(s *journals.PastStep, made, original openat.Spot) error {
	c := &copying.Copier{Surveyor: u.Surveyor(), Again: u.rejoined(s)}
	err := c.Rejoin(u.Ctx, made, original, u.Past.Under(s.Number))
	u.From.Close()
	u.To.Close()
	if err == nil {
		err = u.exactTimes(s)
	}
	if u.Notes = plans.JoinNotes(s.Lost, u.notKept(s, c)); err == nil && u.Notes == "" {
		u.Notes = "the move had been interrupted; everything is back where it was"
	}
	u.NoteApart(s)
	return err
}

// NoteApart says that hard links could not be made again.
func (u *Undoing) NoteApart(s *journals.PastStep) {
	n := u.parted(s)
	if u.Verb.Traits().Parts {
		n = s.Links
	}
	if n += s.Apart; n > 0 {
		u.Notes = plans.JoinNotes(u.Notes, fmt.Sprintf("hard links could not be restored (%d)", n))
	}
}

// exactTimes gives what came back from a file system that holds times less exactly, or not
// all of them, the times it had.
func (u *Undoing) exactTimes(s *journals.PastStep) (err error) {
	for _, one := range s.Held {
		at, name, now, e := u.lookBack(s, one.Relative)
		if e == nil && now.Modified == one.Became {
			e = u.Calls.SetTimes(at, name, one.Modified, one.Accessed)
		}
		if e != nil && !openat.Gone(e) && err == nil {
			err = fmt.Errorf("it is back, but some of its times could not be restored: %w", e)
		}
	}
	return err
}

// lookBack looks at an entry that came back with a step.
func (u *Undoing) lookBack(s *journals.PastStep, rel string) (at int, name string, now sys.Status, err error) {
	if at, name, err = u.To.At(path.Join(string(s.Path), rel)); err == nil {
		now, err = u.Calls.Status(at, name)
	}
	return at, name, now, err
}

// notKept says what was lost on the way back, once exact times are set: those that the copy
// could not have at first are not lost if they are as before now.
func (u *Undoing) notKept(s *journals.PastStep, c *copying.Copier) string {
	meant := map[string]journals.HeldTimes{}
	for _, one := range s.Held {
		meant[one.Relative] = one
	}
	for _, one := range c.Held {
		times := one.Modified
		if before, known := meant[one.Relative]; known && before.Became == times {
			times = before.Modified
		}
		if _, _, now, err := u.lookBack(s, one.Relative); err == nil && now.Modified == times {
			c.Lost.Times--
		}
	}
	return c.Lost.String()
}

// NoteBack has the journal say what stands for an entry that was brought back.
func (u *Undoing) NoteBack(s *journals.PastStep, made *sys.Status, volume string) error {
	s.Copied = append(s.Copied, journals.Place{Inode: made.Inode, Device: made.Device, Volume: volume})
	u.Journal.Note(journals.Event{Back: s.Number, Inode: made.Inode, Device: made.Device, Volume: volume, Apart: s.Apart})
	return u.Journal.Sync()
}

// backAcross moves an entry back from another file system.
func (u *Undoing) backAcross(s *journals.PastStep, from, to openat.Spot) error {
	if !u.Verb.Traits().Outermost {
		for _, other := range u.Past.Steps {
			if strings.HasPrefix(string(other.Path), string(s.Path)+"/") && other.State != journals.Failed && other.State != journals.NotBegun && other.State != journals.Undone {
				return errCopyOfMoved
			}
		}
	}
	c := &copying.Copier{Surveyor: u.Surveyor(), Again: u.rejoined(s)}
	v, err := c.Survey(u.Ctx, from.At, from.Name)
	if err != nil {
		return err
	}
	u.Journal.Note(journals.Event{Return: s.Number})
	if err := u.Journal.Flush(); err != nil {
		return err
	}
	err = c.Across(u.Ctx, from, to, u.Past.Under(s.Number), v, false, func(made *sys.Status) error {
		s.Apart = u.leftBehind(s, c.Names)
		return u.NoteBack(s, made, u.Volumes.Of(u.Calls, to.At, to.Name, made).ID)
	})
	if err == nil {
		err = u.exactTimes(s)
	}
	u.Notes = u.notKept(s, c)
	if err == nil {
		u.NoteApart(s)
		c.CopiesIn(string(s.Path), u.copies)
	}
	return err
}

// leftBehind returns how many files of an entry, which went by a rename and came back as a
// copy, had other names that did not come with it.
func (u *Undoing) leftBehind(s *journals.PastStep, copied []copying.Several) (n int) {
	if s.Linked != nil {
		return 0 // see parted
	}
	met := map[entry.Node]uint64{}
	for _, one := range copied {
		met[one.Node]++
	}
	for _, one := range copied {
		if u.copies[one.Node] == nil && met[one.Node] < one.Names {
			met[one.Node] = one.Names // it counts once
			n++
		}
	}
	return n
}

// Surveyor returns what walks through folders for undo.
func (u *Undoing) Surveyor() *tree.Surveyor {
	return &tree.Surveyor{Calls: u.Calls, Own: u.Own, Progress: u.Progress}
}

// Still returns what an entry is that has not moved, and where to act on it: a handle, where
// the system has these. The function is to be called in the end.
func (u *Undoing) Still(s *journals.PastStep) (at int, name string, st sys.Status, done func(), err error) {
	done = func() {}
	if at, name, err = u.From.At(string(s.Path)); err != nil {
		return at, name, st, done, err
	}
	held := at
	if sys.HoldsAll {
		if held, err = u.Calls.Hold(at, name); err == nil {
			name, done = "", func() { u.Calls.Close(held) }
		}
	}
	if err == nil {
		st, err = u.Calls.Status(held, name)
	}
	if err == nil && !u.IsIt(s, &st, &u.From) || openat.Gone(err) {
		err = ErrMovedOn
	}
	return held, name, st, done, err
}

// IsCopy reports whether an entry is the copy that a step has made.
func (u *Undoing) IsCopy(s *journals.PastStep, st *sys.Status) bool {
	volume := func() string { return u.Volumes.Named(u.Calls, &u.From, st) }
	for _, made := range s.Copied {
		if st.Inode == made.Inode && st.Kind.String() == s.Kind && isVolume(made.Device, made.Volume, st, volume) {
			return true
		}
	}
	return false
}

// Why a step cannot be undone.
var (
	ErrForGood   = errors.New("it was removed for good")
	ErrRan       = errors.New("what the command did is not known")
	ErrNothing   = errors.New("nothing was done")
	ErrSince     = errors.New("it has changed since")
	ErrUndone    = errors.New("it has been undone already")
	ErrOtherHost = errors.New("it was done on another machine")
)

// Undoing is one undoing.
type Undoing struct {
	*Carrier
	Verb     Verb
	Ctx      context.Context
	Past     *journals.Past
	Journal  *journals.Journal // nil while it is only looked at
	From, To openat.Folders
	Volumes  openat.Volumes
	Own      tree.OwnChanges
	copies   copying.Copies
	Later    []*journals.PastStep // that are taken back when those as deep as they are begun
	Notes    string               // what is not as before, of the step that is being undone
}

func (c *Carrier) Undoing(ctx context.Context, verb Verb, past *journals.Past) *Undoing {
	return &Undoing{Carrier: c, Verb: verb, Ctx: ctx, Past: past, From: openat.NewFolders(c.Calls), To: openat.NewFolders(c.Calls), Volumes: openat.Volumes{}, Own: tree.OwnChanges{}, copies: copying.Copies{}}
}

func (u *Undoing) Release() {
	u.From.Close()
	u.To.Close()
}

// IsLeft reports whether there is something under the passing name of a step, or what the trash kept of it.
func (u *Undoing) IsLeft(s *journals.PastStep) bool {
	if s.Info != "" {
		if _, err := u.From.Status(s.Info); err == nil {
			return true
		}
	}
	return !u.Verb.Traits().Stays && tree.LeftUnder(&u.From, s.Step, u.Past.Under, s.Number, s.Left()) != ""
}

// IsNothing reports whether there is nothing to undo of a step.
func (u *Undoing) IsNothing(s *journals.PastStep) bool {
	return s.State == journals.NotBegun || s.State == journals.Undone || s.State == journals.Failed && !u.IsLeft(s)
}

// IsIt reports whether an entry, of a folder that is open, is that of a step, or the copy that
// was made of it.
func (u *Undoing) IsIt(s *journals.PastStep, st *sys.Status, in *openat.Folders) bool {
	volume := func() string { return u.Volumes.Named(u.Calls, in, st) }
	if isEntry(s.Step, u.Past.Volumes, st, volume) {
		return true
	}
	for _, made := range s.Copied {
		if st.Inode == made.Inode && st.Kind.String() == s.Kind && isVolume(made.Device, made.Volume, st, volume) {
			return true
		}
	}
	return false
}

var (
	ErrMovedOn = errors.New("it is no longer where frank put it, or something else is there now")
)

// forGood reports whether things are removed for good, by a name for passing.
func (u *Undoing) forGood() bool {
	return u.Verb.Traits().Frees && ForGood(u.Verb, &u.Past.Options) == ErrForGood
}
