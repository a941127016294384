package verbs

import (
	"errors"
	"fmt"
	"path"
	"slices"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/namepattern"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// naming gives entries names by a pattern. Where names go from one entry to another, all of these have a passing name
// in between.
type naming struct {
	pattern *namepattern.Pattern // nil until it is read
}

// Traits implements Verb.
func (naming) Traits() doing.Traits {
	return doing.Traits{Goes: true, Upwards: true, InTurn: true, Cases: true}
}

// Prepare implements Preparer.
func (naming) Prepare(p *doing.Planner) (_ doing.Verb, err error) {
	v := naming{}
	v.pattern, err = namepattern.Parse(string(p.Options.Pattern), p.ZoneOfNames())
	return v, err
}

// Needs implements Needer: what the pattern takes from entries.
func (v naming) Needs(p *doing.Planner) (entry.Facts, error) {
	prepared, err := v.Prepare(p)
	if err != nil {
		return 0, err
	}
	return prepared.(naming).pattern.Needs(), nil
}

// Plan implements Verb.
func (v naming) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	p.Counted++
	name, err := v.pattern.Name(e, string(s.Path), p.Counted)
	if err != nil {
		return err
	}
	dir, before := path.Split(string(s.Path))
	switch {
	case s.Path == "/":
		return doing.ErrRoot
	case name == before:
		return errSameName
	}
	if err := errors.Join(p.NotMounted(s), p.MayLeave(s)); err != nil {
		return err
	}
	return p.Goes(s, dir+name)
}

var errSameName = doing.So("it has that name already")

func (naming) Words(_ *plans.Plan) (ask, done string) { return "rename", "renamed" }

func (naming) Does(_ *plans.Plan, s *plans.Step) string { return "→ " + path.Base(string(s.To)) }

// Settle refuses what would get the same name
// as another, and grants names that others give up. Steps come in order of how deep they
// lie, and then of their paths.
func (naming) Settle(p *plans.Plan) {
	slices.SortStableFunc(p.Steps, func(a, b *plans.Step) int { return doing.DepthOf(a) - doing.DepthOf(b) })
	to, at := map[exact.Text][]*plans.Step{}, map[exact.Text]*plans.Step{}
	for _, s := range p.Steps {
		at[s.Path] = s
		if s.To != "" {
			to[s.To] = append(to[s.To], s)
		}
	}
	for _, same := range to {
		for _, s := range same {
			if len(same) > 1 {
				s.Refused = exact.Text(doing.ErrSeveral.Error())
			}
		}
	}
	// A name that is taken is free if what has it gives it up. What is refused does not, and
	// keeps those from going that wait for it, and so on.
	taken := exact.Text(openat.ErrTaken.Error())
	stuck := map[*plans.Step]bool{}
	var list []*plans.Step
	for _, s := range p.Steps {
		other := at[s.To]
		if s.Refused == taken && (other == nil || other.Refused != "" && other.Refused != taken) {
			stuck[s], list = true, append(list, s)
		}
	}
	for len(list) > 0 {
		last := list[len(list)-1]
		list = list[:len(list)-1]
		for _, s := range to[last.Path] {
			if s.Refused == taken && !stuck[s] {
				stuck[s], list = true, append(list, s)
			}
		}
	}
	for _, s := range p.Steps {
		if s.Refused == taken && !stuck[s] {
			s.Refused, s.Swaps = "", true
		}
	}
	for _, s := range p.Steps { // and who gives a name up makes way before
		if s.Swaps && at[s.To] != nil {
			at[s.To].Swaps = true
		}
	}
}

func (naming) Do(t *doing.Task) error {
	to := string(t.Step.To)
	if path.Dir(to) != path.Dir(string(t.Step.Path)) {
		return errElsewhere
	}
	if !t.Step.Swaps {
		err := t.Rename(to)
		if err != openat.ErrTaken {
			return err
		}
		if st, _ := t.Calls.Status(t.From.At, path.Base(to)); !doing.IsCase(t.Step, &st, to) {
			return err
		}
	} else if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	if err := t.Surveyor().Aside(t.From.At, t.From.Name, t.Journal.Under(t.Number), &t.Status); err != nil {
		return err
	}
	if t.Status.Kind == entry.KindFolder {
		t.Carrying.From.Close()
		t.Carrying.To.Close()
	}
	t.Carrying.Later = append(t.Carrying.Later, t)
	return doing.ErrLater
}

var errElsewhere = errors.New("its new name is in another folder")

// Finish gives an entry, which has a passing name, its new name; or its old one back.
func (naming) Finish(t *doing.Task) error {
	to := string(t.Step.To)
	under := t.Journal.Under(t.Number)
	if t.Status.Kind == entry.KindFolder {
		defer t.Carrying.From.Close()
		defer t.Carrying.To.Close()
	}
	at, name, err := t.Carrying.To.At(to)
	if err == nil {
		err = openat.Taken(t.Calls.Rename(at, under, at, name))
	}
	if err == nil {
		return isNamed(t, at, name, to)
	}
	back := err
	if at, _, trouble := t.Carrying.To.At(to); trouble == nil {
		back = openat.Taken(t.Calls.Rename(at, under, at, path.Base(string(t.Step.Path))))
	}
	if back == nil {
		return err
	}
	t.To = path.Join(path.Dir(to), under)
	return &tree.Partly{Done: 0, All: 1, Err: fmt.Errorf("%w; it is %s now", err, under)}
}

// isNamed notes where the entry is now.
func isNamed(t *doing.Task, at int, name, to string) error {
	if now, err := t.Calls.Status(at, name); err == nil {
		t.Own.Note(&t.Status, &now)
	}
	t.Went(to)
	return nil
}

// Undo gives an entry its name back; if that is taken by one that is to give it up, later.
func (naming) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	if len(s.Copied) > 0 { // the file system did not rename it
		return u.Back(s)
	}
	at, name, err := u.From.At(string(s.Path))
	if err != nil {
		return false, err
	}
	under := u.Past.Under(s.Number)
	st, err := u.Calls.Status(at, name)
	switch {
	case err == nil && u.IsIt(s, &st, &u.From) && !isOtherName(u, s, at, &st):
		if other, err := u.Calls.Status(at, path.Base(string(s.To))); err == nil && st.Links < 2 && doing.IsCase(s.Step, &other, string(s.To)) {
			// Both are its name, and which it has cannot be told: it gets the old one.
			if err := openat.Taken(u.Calls.Rename(at, name, at, under)); err != nil {
				return false, err
			}
			return true, openat.Taken(u.Calls.Rename(at, under, at, name))
		}
		return s.State == journals.Done || s.State == journals.Partly, u.Discard(s)
	case err != nil && !openat.Gone(err):
		return false, err
	}
	free := openat.Gone(err)
	from := path.Base(string(s.To))
	st, err = u.Calls.Status(at, from)
	if err != nil && !openat.Gone(err) {
		return false, err
	}
	is := err == nil && u.IsIt(s, &st, &u.From)
	if !is || st.Links > 1 { // another name of it may have been put there
		left, err := u.Calls.Status(at, under)
		switch {
		case err == nil && u.IsIt(s, &left, &u.From):
			from = under
		case err != nil && !openat.Gone(err):
			return false, err
		case !is:
			return false, doing.ErrMovedOn
		}
	}
	switch {
	case free:
		err = openat.Taken(u.Calls.Rename(at, from, at, name))
	case from != under:
		err = openat.Taken(u.Calls.Rename(at, from, at, under))
	default:
		err = nil
	}
	if s.Kind == entry.KindFolder.String() {
		u.From.Close()
		u.To.Close()
	}
	switch {
	case err != nil:
		return false, err
	case !free:
		return false, doing.ErrLater
	}
	u.NoteApart(s)
	return true, nil
}

// isOtherName reports whether what has the old name of a file is another name of it, which
// another step has put there, and is going to take away.
func isOtherName(u *doing.Undoing, s *journals.PastStep, at int, st *sys.Status) bool {
	if st.Links < 2 {
		return false
	}
	hasAnother := slices.ContainsFunc([]string{path.Base(string(s.To)), u.Past.Under(s.Number)}, func(name string) bool {
		there, err := u.Calls.Status(at, name)
		return err == nil && u.IsIt(s, &there, &u.From)
	})
	if !hasAnother {
		return false
	}
	return slices.ContainsFunc(u.Past.Steps, func(o *journals.PastStep) bool {
		return o.To == s.Path && o.Inode == s.Inode && o.Device == s.Device && (o.State == journals.Done || o.State == journals.Begun || o.State == journals.Partly)
	})
}

// FinishUndo gives an entry, which has a passing name, its old name back; or the one that it had until now.
func (naming) FinishUndo(u *doing.Undoing, s *journals.PastStep) error {
	at, name, err := u.From.At(string(s.Path))
	if err != nil {
		return err
	}
	under := u.Past.Under(s.Number)
	err = openat.Taken(u.Calls.Rename(at, under, at, name))
	if err != nil {
		err = errors.Join(err, openat.Taken(u.Calls.Rename(at, under, at, path.Base(string(s.To)))))
	}
	if s.Kind == entry.KindFolder.String() {
		u.From.Close()
		u.To.Close()
	}
	if err == nil {
		u.NoteApart(s)
	}
	return err
}

func (naming) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	here, there, err := u.AreAt(s)
	switch {
	case err != nil:
		return journals.Begun
	case there:
		return journals.Done
	case here:
		return journals.NotBegun
	}
	if under, err := u.IsAt(path.Join(path.Dir(string(s.Path)), u.Past.Under(s.Number)), s, &u.From); err == nil && under {
		return journals.Partly
	}
	return journals.Begun
}

// Undoes implements Verb.
func (naming) Undoes(_ *plans.Options, s *plans.Step) string { return "back from " + string(s.To) }
