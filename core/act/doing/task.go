package doing

import (
	"context"
	"errors"
	"fmt"
	"path"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/act/copying"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/trash"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/source"
)

// IsPartly reports whether an error says that something was done of a step nevertheless.
func IsPartly(err error) bool {
	var p *tree.Partly
	return errors.As(err, &p)
}

// Rename gives the entry of the step another path.
func (t *Task) Rename(to string) error {
	at, name, err := t.Carrying.To.At(to)
	if err != nil {
		return err
	}
	if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	err = openat.Taken(t.Calls.Rename(t.From.At, t.From.Name, at, name))
	if errors.Is(err, unix.EXDEV) {
		if err := t.across(openat.Spot{At: at, Name: name}, to); err != nil {
			return err
		}
	} else if err != nil {
		return err
	} else if err := t.IsMoved(openat.Spot{At: at, Name: name}); err != nil {
		if IsPartly(err) {
			t.To = to
			t.Carrying.Moved[string(t.Step.Path)] = to
		}
		return err
	} else if t.Copies[openat.NodeOf(&t.Status)] != nil {
		t.Notes = "the file system could not move another of its names, so frank copied that; the hard links between them are lost"
	}
	t.Went(to)
	return nil
}

// IsMoved makes sure that what was renamed is the entry of the step, and notes what became
// of a file of several names; what else had its name by then gets that back.
func (t *Task) IsMoved(to openat.Spot) error {
	now, err := t.Calls.Status(to.At, to.Name)
	if err == nil && openat.NodeOf(&now) != openat.NodeOf(&t.Status) {
		err = tree.ErrMeanwhile
	}
	if err == nil {
		t.Own.Note(&t.Status, &now)
		return nil
	}
	if back := openat.Taken(t.Calls.Rename(to.At, to.Name, t.From.At, t.From.Name)); back != nil {
		return &tree.Partly{Done: 0, All: 1, Err: errors.Join(err, back)}
	}
	return err
}

// Went notes where the entry of the step is now.
func (t *Task) Went(to string) {
	t.To = to
	if t.Status.Kind == entry.KindFolder {
		t.Carrying.From.Close() // it may be under another path now
		t.Carrying.To.Close()
		t.Carrying.Keepers.Close()
	}
}

// errCopyOfMoved is for a folder that can only be copied to where it goes: undo would not
// know the copies of what other steps have renamed in it.
var errCopyOfMoved = errors.New("the file system could not move this folder; frank did not copy it either, because other steps renamed something in it")

// across moves the entry to another file system.
func (t *Task) across(to openat.Spot, full string) error {
	if !t.Verb.Traits().Outermost {
		for moved := range t.Carrying.Moved {
			if strings.HasPrefix(moved, string(t.Step.Path)+"/") {
				return errCopyOfMoved
			}
		}
	}
	s := t.Surveyor()
	v := t.Survey
	if v == nil {
		var err error
		if v, err = s.Survey(t.Ctx, t.From.At, t.From.Name); err != nil {
			return err
		}
	}
	parted, err := t.partedUnplanned()
	if err != nil {
		return err
	}
	if parted != "" && t.Plan.Options.Strict {
		return fmt.Errorf("%w: %s", copying.ErrLosses, parted)
	}
	c := &copying.Copier{Surveyor: s, Again: t.Copies.NameAgain(s), Strict: t.Plan.Options.Strict}
	err = c.Across(t.Ctx, t.From, to, t.Journal.Under(t.Number), v, t.Step.Mounted, func(made *sys.Status) error {
		volume := t.Volumes.Of(t.Calls, to.At, to.Name, made).ID
		t.NoteDetails(c)
		t.Journal.Note(journals.Event{Copied: t.Number, Inode: made.Inode, Device: made.Device, Volume: volume, Lost: exact.Text(c.Lost.ForGood().String())})
		if err := t.Journal.Sync(); err != nil {
			return &JournalError{err}
		}
		return nil
	})
	t.Notes = c.Lost.String()
	if err == nil || IsPartly(err) {
		t.Notes = plans.JoinNotes(parted, t.Notes)
	}
	if IsPartly(err) {
		t.To = full
	}
	if err == nil || IsPartly(err) {
		c.CopiesIn(full, t.Copies)
	}
	return err
}

// partedUnplanned says what the plan could not: that a file has other names, where a
// rename was planned and the entry has to be copied, as the file system does not rename it.
func (t *Task) partedUnplanned() (string, error) {
	if t.Carrying.From.Mount() != t.Carrying.To.Mount() {
		return "", nil
	}
	v := &tree.Survey{Names: map[entry.Node]*tree.Names{}}
	s := t.Surveyor()
	s.Each = func(_ *openat.Walk, st *sys.Status) { v.CountNames(st) }
	if _, err := s.Survey(t.Ctx, t.From.At, t.From.Name); err != nil {
		return "", err
	}
	parted := 0
	for node, of := range v.Names {
		if t.Copies[node] == nil && of.Met+t.namesToCome(node) < of.All {
			parted++
		}
	}
	if parted == 0 {
		return "", nil
	}
	return fmt.Sprintf("the file system could not move it, so frank copied it; hard links to files that stay are lost (%d)", parted), nil
}

// namesToCome returns how many names of a file are those of steps that come after this one.
func (t *Task) namesToCome(node entry.Node) (n uint64) {
	if t.Carrying.named == nil {
		t.Carrying.named = map[entry.Node][]int{}
		for i, s := range t.Plan.Steps {
			of := entry.Node{Device: s.Device, Inode: s.Inode}
			t.Carrying.named[of] = append(t.Carrying.named[of], i+1)
		}
	}
	for _, number := range t.Carrying.named[node] {
		if number != t.Number && number < t.Number == t.Verb.Traits().Upwards {
			n++
		}
	}
	return n
}

// NoteDetails has the journal keep what the copy cannot show when it is undone.
func (t *Task) NoteDetails(c *copying.Copier) {
	for _, one := range c.Names {
		if t.Verb.Traits().Copies {
			break
		}
		t.Journal.Note(journals.Event{Linked: t.Number, Relative: exact.Text(one.Relative), Inode: one.Node.Inode, Device: one.Node.Device, Of: int64(one.Names)})
	}
	for _, one := range c.Held {
		modified, accessed, became := exact.Time(one.Modified), exact.Time(one.Accessed), exact.Time(one.Became)
		t.Journal.Note(journals.Event{Held: t.Number, Relative: exact.Text(one.Relative), Modified: &modified, Accessed: &accessed, Became: &became})
	}
}

// MakeFolders makes the folders on the way that are not there, and returns them.
func (t *Task) MakeFolders(dir string) (made []string, err error) {
	if t.Carrying.To.Path == dir || dir == "/" || dir == path.Dir(string(t.Step.Path)) {
		return nil, nil
	}
	at, name, err := t.Carrying.To.At(dir)
	if openat.Gone(err) {
		if made, err = t.MakeFolders(path.Dir(dir)); err == nil {
			at, name, err = t.Carrying.To.At(dir)
		}
	}
	if err != nil {
		return made, err
	}
	if _, err := t.Calls.Status(at, name); !openat.Gone(err) {
		return made, err
	}
	t.Journal.Note(journals.Event{Made: exact.Text(dir)})
	if err := t.Journal.Flush(); err != nil {
		return made, &JournalError{err}
	}
	if err := t.Calls.MakeFolder(at, name, 0o777); err != nil {
		return made, err
	}
	return append(made, dir), nil
}

// Unmake removes folders that were made for nothing, if they are empty.
func (t *Task) Unmake(made []string) {
	for i := len(made) - 1; i >= 0; i-- {
		if at, name, err := t.Carrying.To.At(made[i]); err == nil {
			t.Calls.RemoveFolder(at, name)
		}
	}
	if len(made) > 0 {
		t.Carrying.To.Close()
	}
}

// TakeBack returns the error of a step that was done and then undone, unless that failed: then it is partly done.
func (t *Task) TakeBack(err, failed error) error {
	if failed != nil {
		return &tree.Partly{Done: 1, All: 1, Err: err}
	}
	if now, err := t.Calls.Status(t.From.At, t.From.Name); err == nil {
		t.Own.Note(&t.Status, &now)
	}
	return err
}

// Answer is what a person says to a step.
type Answer uint8

const (
	Yes  Answer = iota
	No          // leave this one
	Rest        // this one and all others
	Stop        // neither this one nor any other
)

// Outcome is what became of a step.
type Outcome struct {
	Step   *plans.Step
	Number int
	To     string // where it is now, if it went somewhere
	Aside  string // full path of what is left of it under a name of no meaning
	Err    error  // nil if it is done
	Partly bool   // something of it was done nevertheless
	Notes  string // what is not as before, though it is done
	Left   bool   // it was answered with no
}

// Carrier carries plans out.
type Carrier struct {
	Journals journals.Journals
	Trash    trash.Trash
	Calls    *sys.Calls // how the system is called; nil for straight
	// Progress is counted up while entries are looked at and copied. It may be
	// nil.
	Progress *source.Progress
	// Ask is asked before each step. It may be nil.
	Ask func(*plans.Step) Answer
	// Begin is told of each step before it is done. It may be nil.
	Begin func(*plans.Step)
	// Tell is told of each step. It may be nil.
	Tell func(Outcome)
	// Now tells the time.
	Now func() time.Time
}

// Carrying is one carrying out.
type Carrying struct {
	*Carrier
	Ctx      context.Context
	Plan     *plans.Plan
	Verb     Verb
	Journal  *journals.Journal
	From     openat.Folders
	To       openat.Folders
	Keepers  openat.Folders // that what stays lies in
	Cans     *trash.Directories
	Volumes  openat.Volumes
	Own      tree.OwnChanges
	compared []byte               // room for what is compared
	named    map[entry.Node][]int // which steps are about a file, once that is asked
	Copies   copying.Copies       // where the copies of files of several names are
	Moved    map[string]string    // where steps have moved things
	Later    []*Task              // that are finished when those as deep as they are begun
	Set      journals.Event       // of the step that is being done
	Passed   bool                 // the name for passing may not be free any more
	Result   Result
}

// Undoable reports whether what the plan does can be undone.
func (c *Carrying) Undoable() bool { return ForGood(c.Verb, &c.Plan.Options) == nil }

// Report reports what became of a step.
func (c *Carrying) Report(o Outcome) {
	if c.Tell != nil {
		c.Tell(o)
	}
}

// Run makes sure that the entry of the step is the one of the plan, and does it.
func (t *Task) Run() error {
	if t.Verb.Traits().Makes {
		return t.Verb.Do(t)
	}
	at, name, err := t.Carrying.From.At(string(t.Step.Path))
	if err != nil {
		if openat.Gone(err) {
			err = openat.ErrGone
		}
		return err
	}
	t.From = openat.Spot{At: at, Name: name}
	if t.Verb.Traits().Stays && sys.HoldsAll {
		held, err := t.Calls.Hold(at, name)
		if openat.Gone(err) {
			err = openat.ErrGone
		}
		if err != nil {
			return err
		}
		defer t.Calls.Close(held)
		t.From = openat.Spot{At: held, Name: ""}
	}
	if t.Status, err = t.IsThere(t.Step, t.From.At, t.From.Name); err != nil {
		return err
	}
	if t.Verb.Traits().Whole && t.Status.Kind == entry.KindFolder {
		if t.Step.Holds == nil {
			return errNoHolds
		}
		if t.Survey, err = t.Surveyor().Survey(t.Ctx, at, name); err != nil {
			return err
		}
		if !t.Step.Holds.SameAs(&t.Survey.Holds) {
			return openat.ErrChanged
		}
		// It took its time, and the folder must still be where it was.
		if t.From.At, t.From.Name, err = t.Carrying.From.At(string(t.Step.Path)); err != nil {
			return err
		}
	}
	return t.Verb.Do(t)
}

func (c *Carrying) Surveyor() *tree.Surveyor {
	return &tree.Surveyor{Calls: c.Calls, Own: c.Own, Progress: c.Progress}
}

// IsThere returns what is there of an entry, and an error unless that is what a
// step is about.
func (c *Carrying) IsThere(s *plans.Step, at int, name string) (st sys.Status, err error) {
	if st, err = c.Calls.Status(at, name); err != nil {
		if openat.Gone(err) {
			err = openat.ErrGone
		}
		return st, err
	}
	shown := c.Own.Before(&st)
	volume := func() string { return c.Volumes.Named(c.Calls, &c.From, &st) }
	if !isEntry(s, c.Plan.Volumes, &st, volume) {
		return st, openat.ErrChanged
	}
	if st.Kind != entry.KindFolder {
		if shown.Modified != entry.Time(s.Modified) || st.Kind == entry.KindFile && st.Size != s.Size {
			return st, openat.ErrChanged
		}
		// What cannot be undone is done only to what is the same in all, and so is the removal of a spare.
		exactly := !c.Verb.Traits().Foreign && !c.Undoable() || s.Keeper != nil
		if exactly && s.Changed != (exact.Time{}) && shown.Changed != entry.Time(s.Changed) {
			return st, openat.ErrChanged
		}
	}
	if c.Verb.Traits().Goes || c.Verb.Traits().Outermost {
		if mounted := c.From.Mount().Mount != st.Mount || st.MountRoot; mounted && !s.Mounted {
			return st, errMountNow
		} else if !mounted && s.Mounted {
			return st, openat.ErrChanged
		}
	}
	return st, nil
}

var errNoHolds = errors.New("the plan does not say what is in it")

var errMountNow = errors.New("a file system is mounted on it now")

// isEntry reports whether an entry is the one of a step: by inode, and the file
// system. That has a number, which may be another after the next mount, and mostly
// a name that lasts.
func isEntry(s *plans.Step, planned map[uint64]string, st *sys.Status, volume func() string) bool {
	if st.Inode != s.Inode || st.Kind.String() != s.Kind {
		return false
	}
	if born := entry.Time(s.Born); born != (entry.Time{}) && st.Born != (entry.Time{}) && born != st.Born {
		return false
	}
	return isVolume(s.Device, planned[s.Device], st, volume)
}

// isVolume reports whether an entry is on a file system that is known by a number and
// perhaps a name.
func isVolume(device uint64, name string, st *sys.Status, volume func() string) bool {
	if name == "" {
		return st.Device == device
	}
	now := volume()
	if now == "" {
		return st.Device == device
	}
	return now == name
}

// Result is what was done in all.
type Result struct {
	Journal                             int64 // its number; 0 if nothing was begun
	Done, Partly, Failed, Left, Refused int
	Stopped                             bool // before the end
	// Undoable reports whether anything that was done can be undone.
	Undoable bool
}
