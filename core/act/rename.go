package act

import (
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// naming gives entries names by a pattern. Where names go from one entry to another, all
// of these have a name of no meaning in between.
type naming struct{}

func (naming) stays() bool     { return false }
func (naming) goes() bool      { return true }
func (naming) upwards() bool   { return true }
func (naming) outermost() bool { return false }
func (naming) whole() bool     { return false }

func (naming) plan(p *planning, s *Step, e *entry.Entry) error {
	p.counted++
	name, err := p.pattern.Name(e, string(s.Path), p.counted)
	if err != nil {
		return err
	}
	dir, before := path.Split(string(s.Path))
	switch {
	case s.Path == "/":
		return errRoot
	case name == before:
		return errSameName
	}
	if err := errors.Join(p.notMounted(s), p.mayLeave(s)); err != nil {
		return err
	}
	return p.goes(s, dir+name)
}

var errSameName = errors.New("it has that name already")

func (naming) words(_ *Plan) (ask, done string) { return "rename", "renamed" }

func (naming) does(_ *Plan, s *Step) string { return "→ " + path.Base(string(s.To)) }

// settleNames leaves out what has its name already, refuses what would get the same name
// as another, and grants names that others give up. Steps come in order of how deep they
// lie, and then of their paths.
func (p *Plan) settleNames() {
	kept := p.Steps[:0]
	for _, s := range p.Steps {
		if s.Refused == exact.Text(errSameName.Error()) {
			p.Same++
			continue
		}
		kept = append(kept, s)
	}
	p.Steps = kept
	slices.SortStableFunc(p.Steps, func(a, b *Step) int { return depthOf(a) - depthOf(b) })
	to, at := map[exact.Text][]*Step{}, map[exact.Text]*Step{}
	for _, s := range p.Steps {
		at[s.Path] = s
		if s.To != "" {
			to[s.To] = append(to[s.To], s)
		}
	}
	for _, same := range to {
		for _, s := range same {
			if len(same) > 1 {
				s.Refused = exact.Text(errSeveral.Error())
			}
		}
	}
	// A name that is taken is free if what has it gives it up. What is refused does not, and
	// keeps those from going that wait for it, and so on.
	taken := exact.Text(errTaken.Error())
	stuck := map[*Step]bool{}
	var list []*Step
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

func depthOf(s *Step) int { return strings.Count(string(s.Path), "/") }

// isCase reports whether what is found by the new name of a step is its entry: where the
// file system does not tell capital letters from small ones.
func isCase(s *Step, found *sys.Status, to string) bool {
	return found.Inode == s.Inode && found.Device == s.Device && to != string(s.Path) && strings.EqualFold(to, string(s.Path))
}

// errLater is returned for a step that is finished when those beside it are begun.
var errLater = errors.New("later")

func (naming) do(t *task) error {
	to := string(t.step.To)
	if path.Dir(to) != path.Dir(string(t.step.Path)) {
		return errElsewhere
	}
	if !t.step.Swaps {
		err := t.rename(to)
		if err != errTaken {
			return err
		}
		if st, _ := t.Calls.Status(t.from.at, path.Base(to)); !isCase(t.step, &st, to) {
			return err
		}
	} else if err := t.begin(event{}); err != nil {
		return err
	}
	if err := t.surveyor().aside(t.from.at, t.from.name, t.journal.under(t.number), &t.st); err != nil {
		return err
	}
	if t.st.Kind == entry.KindFolder {
		t.carrying.from.close()
		t.carrying.to.close()
	}
	t.carrying.later = append(t.carrying.later, t)
	return errLater
}

var errElsewhere = errors.New("its new name is in another folder")

// finish gives an entry, which has a name of no meaning, its new name; or its old one back.
func (naming) finish(t *task) error {
	to := string(t.step.To)
	under := t.journal.under(t.number)
	if t.st.Kind == entry.KindFolder {
		defer t.carrying.from.close()
		defer t.carrying.to.close()
	}
	at, name, err := t.carrying.to.at(to)
	if err == nil {
		err = taken(t.Calls.Rename(at, under, at, name))
	}
	if err == nil {
		return t.isNamed(at, name, to)
	}
	back := err
	if at, _, trouble := t.carrying.to.at(to); trouble == nil {
		back = taken(t.Calls.Rename(at, under, at, path.Base(string(t.step.Path))))
	}
	if back == nil {
		return err
	}
	t.to = path.Join(path.Dir(to), under)
	return &partly{0, 1, fmt.Errorf("%w; it is %s now", err, under)}
}

// isNamed notes where the entry is now.
func (t *task) isNamed(at int, name, to string) error {
	if now, err := t.Calls.Status(at, name); err == nil {
		t.own.note(&t.st, &now)
	}
	t.went(to)
	return nil
}

// undo gives an entry its name back; if that is taken by one that is to give it up, later.
func (naming) undo(u *undoing, s *PastStep) (acted bool, err error) {
	if len(s.copied) > 0 { // the file system did not rename it
		return u.back(s)
	}
	at, name, err := u.from.at(string(s.Path))
	if err != nil {
		return false, err
	}
	under := u.past.under(s.Number)
	st, err := u.Calls.Status(at, name)
	switch {
	case err == nil && u.isIt(s, &st, &u.from) && !u.isOtherName(s, at, &st):
		if other, err := u.Calls.Status(at, path.Base(string(s.To))); err == nil && st.Links < 2 && isCase(s.Step, &other, string(s.To)) {
			// Both are its name, and which it has cannot be told: it gets the old one.
			if err := taken(u.Calls.Rename(at, name, at, under)); err != nil {
				return false, err
			}
			return true, taken(u.Calls.Rename(at, under, at, name))
		}
		return s.State == Done || s.State == Partly, u.discard(s)
	case err != nil && !gone(err):
		return false, err
	}
	free := gone(err)
	from := path.Base(string(s.To))
	st, err = u.Calls.Status(at, from)
	if err != nil && !gone(err) {
		return false, err
	}
	is := err == nil && u.isIt(s, &st, &u.from)
	if !is || st.Links > 1 { // another name of it may have been put there
		left, err := u.Calls.Status(at, under)
		switch {
		case err == nil && u.isIt(s, &left, &u.from):
			from = under
		case err != nil && !gone(err):
			return false, err
		case !is:
			return false, errMovedOn
		}
	}
	switch {
	case free:
		err = taken(u.Calls.Rename(at, from, at, name))
	case from != under:
		err = taken(u.Calls.Rename(at, from, at, under))
	default:
		err = nil
	}
	if s.Kind == entry.KindFolder.String() {
		u.from.close()
		u.to.close()
	}
	switch {
	case err != nil:
		return false, err
	case !free:
		return false, errLater
	}
	u.noteApart(s)
	return true, nil
}

// isOtherName reports whether what has the old name of a file is another name of it, which
// another step has put there, and is going to take away.
func (u *undoing) isOtherName(s *PastStep, at int, st *sys.Status) bool {
	if st.Links < 2 {
		return false
	}
	hasAnother := slices.ContainsFunc([]string{path.Base(string(s.To)), u.past.under(s.Number)}, func(name string) bool {
		there, err := u.Calls.Status(at, name)
		return err == nil && u.isIt(s, &there, &u.from)
	})
	if !hasAnother {
		return false
	}
	return slices.ContainsFunc(u.past.Steps, func(o *PastStep) bool {
		return o.To == s.Path && o.Inode == s.Inode && o.Device == s.Device && (o.State == Done || o.State == Begun || o.State == Partly)
	})
}

// finishUndo gives an entry, which has a name of no meaning, its old name back; or the one
// that it had until now.
func (naming) finishUndo(u *undoing, s *PastStep) error {
	at, name, err := u.from.at(string(s.Path))
	if err != nil {
		return err
	}
	under := u.past.under(s.Number)
	err = taken(u.Calls.Rename(at, under, at, name))
	if err != nil {
		err = errors.Join(err, taken(u.Calls.Rename(at, under, at, path.Base(string(s.To)))))
	}
	if s.Kind == entry.KindFolder.String() {
		u.from.close()
		u.to.close()
	}
	if err == nil {
		u.noteApart(s)
	}
	return err
}

func (naming) look(u *undoing, s *PastStep) State {
	here, there, err := u.areAt(s)
	switch {
	case err != nil:
		return Begun
	case there:
		return Done
	case here:
		return NotBegun
	}
	if under, err := u.isAt(path.Join(path.Dir(string(s.Path)), u.past.under(s.Number)), s, &u.from); err == nil && under {
		return Partly
	}
	return Begun
}
