package verbs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/trash"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// remove puts entries into the trash, or removes them for good.
type remove struct{}

// Traits implements Verb.
func (remove) Traits() doing.Traits {
	return doing.Traits{Outermost: true, Whole: true, Frees: true}
}

func (remove) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	if err := p.Leave(s, e, nil); err != nil || p.Options.ForGood {
		return err
	}
	if s.Mounted {
		return doing.ErrMountedTrash
	}
	if _, _, err := p.Sources.At(string(s.Path)); err != nil {
		return err
	}
	c, err := p.Cans.ForEntry(string(s.Path), p.Sources.Mount())
	if err == nil && doing.Within(c.Path, string(s.Path)) {
		err = trash.ErrHasTrash
	}
	return err
}

func (remove) Words(p *plans.Plan) (ask, done string) {
	if p.Options.ForGood {
		return "remove for good (which cannot be undone)", "removed for good"
	}
	return "put into the trash", "put into the trash"
}

func (remove) Does(p *plans.Plan, s *plans.Step) string {
	switch {
	case s.Mounted:
		return "remove everything in it for good; the folder stays, because a file system is mounted on it"
	case p.Options.ForGood:
		return "remove for good"
	}
	return "into the trash"
}

func (remove) Do(t *doing.Task) error {
	if t.Step.Keeper != nil {
		done, err := t.IsSpare()
		if err != nil {
			return err
		}
		defer done()
	}
	if !t.Plan.Options.ForGood {
		return throwAway(t)
	}
	if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	v, under := t.Survey, t.Journal.Under(t.Number)
	if v == nil {
		v = &tree.Survey{Top: t.Status, Prints: make([]uint64, 1)}
		if !t.Carrying.Passed {
			under = t.Journal.Under(tree.ForPassing)
		}
	}
	removed, err := t.Surveyor().TakeAway(t.Ctx, t.From, under, v, t.Step.Mounted)
	if err != nil && under == t.Journal.Under(tree.ForPassing) {
		_, free := t.Calls.Status(t.From.At, under)
		t.Left = !openat.Gone(free)
		t.Carrying.Passed = t.Carrying.Passed || t.Left
	}
	if err != nil && removed > 0 {
		err = &tree.Partly{Done: removed, All: int64(len(v.Prints)), Err: err}
	}
	return err
}

// throwAway moves an entry into the trash.
func throwAway(t *doing.Task) error {
	in := t.Carrying.From.Mount()
	c, err := t.Cans.ForEntry(string(t.Step.Path), in)
	if err != nil {
		return err
	}
	to, info, err := t.Cans.Reserve(c, in, string(t.Step.Path), t.Now(), func(to, info string) error {
		return t.BeginStep(journals.Event{To: exact.Text(to), Info: exact.Text(info)})
	})
	if err != nil {
		return err
	}
	at, name, err := t.Cans.Open(c, to, in)
	if err == nil {
		err = openat.Taken(t.Calls.Rename(t.From.At, t.From.Name, at, name))
	}
	if err != nil {
		if at, name, err := t.Cans.Open(c, info, in); err == nil { // not in a folder that took its place
			t.Calls.Unlink(at, name)
		}
		if errors.Is(err, unix.EXDEV) {
			err = trash.ErrNoTrash
		}
		return err
	}
	if err := t.IsMoved(openat.Spot{At: at, Name: name}); err != nil {
		if !doing.IsPartly(err) {
			if at, name, err := t.Cans.Open(c, info, in); err == nil {
				t.Calls.Unlink(at, name)
			}
		}
		return err
	}
	t.Went(to)
	return nil
}

func (remove) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	if u.Past.Options.ForGood {
		left := tree.LeftUnder(&u.From, s.Step, u.Past.Under, s.Number, s.Left()) != ""
		if err := u.Settle(s); err != nil {
			return false, err
		}
		here, err := u.IsAt(string(s.Path), s, &u.From)
		if left && here {
			u.Notes = "what was not removed has its name again"
			return true, err
		}
		if s.State == journals.Begun && (here || err != nil) {
			return false, err
		}
		return false, doing.ErrForGood
	}
	if s.To == "" {
		return false, doing.ErrMovedOn
	}
	if acted, err = u.Back(s); err != nil || s.Info == "" {
		return acted, err
	}
	if _, err := u.From.Status(string(s.To)); !openat.Gone(err) {
		return acted, err // by now another program's
	}
	at, name, err := u.From.At(s.Info)
	is := false
	if err == nil {
		is, err = isInfo(u, s, at, name)
	}
	if is {
		err = u.Calls.Unlink(at, name)
	}
	if err != nil && !openat.Gone(err) {
		return false, fmt.Errorf("it is back, but its entry in the trash could not be removed: %w", err)
	}
	return acted, nil
}

// isInfo reports whether what the trash keeps under a name is about the entry of a step, or
// is empty since the program was killed: another program may have the name by now.
func isInfo(u *doing.Undoing, s *journals.PastStep, at int, name string) (bool, error) {
	fd, err := u.Calls.OpenFile(at, name)
	if err != nil {
		return false, err
	}
	defer u.Calls.Close(fd)
	room := make([]byte, 16<<10)
	n, err := u.Calls.Read(fd, room)
	if err == io.EOF {
		return true, nil
	}
	_, rest, found := strings.Cut(string(room[:n]), "Path=")
	line, _, _ := strings.Cut(rest, "\n")
	from, bad := url.PathUnescape(line)
	return found && bad == nil && (from == string(s.Path) || strings.HasSuffix(string(s.Path), "/"+from)), err
}

func (remove) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	if !u.Past.Options.ForGood {
		return u.LookAtPaths(s)
	}
	if tree.LeftUnder(&u.From, s.Step, u.Past.Under, s.Number, s.Left()) != "" {
		return journals.Partly
	}
	st, err := u.From.Status(string(s.Path))
	switch {
	case openat.Gone(err):
		return journals.Done
	case err != nil || !u.IsIt(s, &st, &u.From):
		return journals.Begun
	case s.Holds == nil:
		return journals.NotBegun
	}
	at, name, err := u.From.At(string(s.Path))
	if err != nil {
		return journals.Begun
	}
	now, err := u.Surveyor().Survey(context.Background(), at, name)
	switch {
	case err != nil:
		return journals.Begun
	case now.Entries < s.Holds.Entries:
		return journals.Partly
	}
	return journals.NotBegun
}

// Undoes implements Verb.
func (remove) Undoes(*plans.Options, *plans.Step) string { return "out of the trash again" }

// ForGood implements Final.
func (remove) ForGood(o *plans.Options) error {
	if o.ForGood {
		return doing.ErrForGood
	}
	return nil
}
