package act

import (
	"errors"
	"path"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// renames are the verbs after which an entry has another path.
type renames struct{}

func (renames) goes() bool { return true }

// hide gives names a leading dot.
type hide struct{ renames }

func (hide) upwards() bool   { return true }
func (hide) outermost() bool { return true }
func (hide) whole() bool     { return false }

func (hide) plan(p *planning, s *Step, e *entry.Entry) error {
	dir, name := path.Split(string(s.Path))
	if entry.HiddenName(name) {
		return errHidden
	}
	if err := p.notMounted(s); err != nil {
		return err
	}
	return p.goes(s, dir+"."+name)
}

func (hide) words(_ *Plan) (ask, done string) { return "hide", "hidden" }

func (hide) does(_ *Plan, s *Step) string {
	if s.To == "" {
		return "hide"
	}
	return "hide as " + path.Base(string(s.To))
}

// reveal takes leading dots off names.
type reveal struct{ renames }

func (reveal) upwards() bool   { return true }
func (reveal) outermost() bool { return false }
func (reveal) whole() bool     { return false }

func (reveal) plan(p *planning, s *Step, e *entry.Entry) error {
	dir, name := path.Split(string(s.Path))
	plain := strings.TrimLeft(name, ".")
	switch {
	case plain == name:
		return errNotHidden
	case plain == "":
		return errNameless
	}
	if err := p.notMounted(s); err != nil {
		return err
	}
	return p.goes(s, dir+plain)
}

func (reveal) words(_ *Plan) (ask, done string) { return "reveal", "revealed" }

func (reveal) does(_ *Plan, s *Step) string {
	if s.To == "" {
		return "reveal"
	}
	return "reveal as " + path.Base(string(s.To))
}

// move moves entries into a folder.
type move struct{ renames }

func (move) upwards() bool   { return false }
func (move) outermost() bool { return true }
func (move) whole() bool     { return true }

func (move) plan(p *planning, s *Step, e *entry.Entry) error {
	to := path.Base(string(s.Path))
	if p.Options.KeepFolders && !e.Self {
		to = e.Relative()
	}
	full := path.Join(string(p.Options.Into), to)
	switch {
	case full == string(s.Path):
		return errHere
	case strings.HasPrefix(full, string(s.Path)+"/"):
		return errInItself
	}
	if err := p.goes(s, full); err != nil {
		return err
	}
	across, err := p.across(s, path.Dir(full))
	if err != nil {
		return err
	}
	return p.leave(s, e, across)
}

func (move) words(p *Plan) (ask, done string) { return "move into " + string(p.Options.Into), "moved" }

func (move) does(p *Plan, s *Step) string {
	way, in := strings.CutPrefix(string(s.To), string(p.Options.Into)+"/")
	if !in {
		way = string(s.To) // as edited
	}
	if s.Mounted {
		return "move all in it as " + way + "; the folder stays, as a file system is mounted on it"
	}
	return "move as " + way
}

// do renames. To another file system it moves by copying.
func (renames) do(t *task) error {
	to := string(t.step.To)
	made, err := t.makeFolders(path.Dir(to))
	if err == nil {
		err = t.rename(to)
	}
	if err != nil && !isPartly(err) {
		t.unmake(made)
	}
	return err
}

func isPartly(err error) bool {
	var p *partly
	return errors.As(err, &p)
}

// rename gives the entry of the step another path.
func (t *task) rename(to string) error {
	at, name, err := t.carrying.to.at(to)
	if err != nil {
		return err
	}
	if err := t.begin(event{}); err != nil {
		return err
	}
	err = taken(t.Calls.Rename(t.from.at, t.from.name, at, name))
	if errors.Is(err, unix.EXDEV) {
		if err := t.across(spot{at, name}, to); err != nil {
			return err
		}
	} else if err != nil {
		return err
	} else {
		t.noteNames(at, name)
	}
	t.went(to)
	return nil
}

// noteNames notes what became of a file of several names that has another one now.
func (t *task) noteNames(at int, name string) {
	if t.st.Links > 1 && t.st.Kind != entry.KindFolder {
		if after, err := t.Calls.Status(at, name); err == nil {
			t.own.note(&t.st, &after)
		}
	}
}

// went notes where the entry of the step is now.
func (t *task) went(to string) {
	t.to = to
	if t.st.Kind == entry.KindFolder {
		t.carrying.from.close() // it may be under another path now
		t.carrying.to.close()
		t.carrying.keepers.close()
	}
}

// across moves the entry to another file system.
func (t *task) across(to spot, full string) error {
	s := t.surveyor()
	v := t.survey
	if v == nil {
		var err error
		if v, err = s.survey(t.ctx, t.from.at, t.from.name); err != nil {
			return err
		}
	}
	c := &copier{surveyor: s, again: t.copies.nameAgain(t.Calls)}
	err := c.across(t.ctx, t.from, to, t.journal.under(t.number), v, t.step.Mounted, func(made *sys.Status) error {
		volume := t.volumes.of(t.Calls, to.at, to.name, made).ID
		t.journal.note(event{Copied: t.number, Inode: made.Inode, Device: made.Device, Volume: volume})
		if err := t.journal.sync(); err != nil {
			return &journalError{err}
		}
		return nil
	})
	t.notes = c.lost.String()
	if isPartly(err) {
		t.to = full
	}
	if err == nil || isPartly(err) {
		c.copiesIn(full, t.copies)
	}
	return err
}

// copies tell where the copies are that earlier steps have made of files of several
// names.
type copies map[entry.Node]string

// nameAgain returns a function that gives another name to such a copy.
func (c copies) nameAgain(calls *sys.Calls) func(st *sys.Status, at int, name string) bool {
	return func(st *sys.Status, at int, name string) bool {
		full, copied := c[nodeOf(st)]
		if !copied {
			return false
		}
		other := newFolders(calls)
		defer other.close()
		first, firstName, err := other.at(full)
		return err == nil && calls.NameAgain(first, firstName, at, name) == nil
	}
}

// makeFolders makes the folders on the way that are not there, and returns them.
func (t *task) makeFolders(dir string) (made []string, err error) {
	if t.carrying.to.path == dir || dir == "/" || dir == path.Dir(string(t.step.Path)) {
		return nil, nil
	}
	at, name, err := t.carrying.to.at(dir)
	if gone(err) {
		if made, err = t.makeFolders(path.Dir(dir)); err == nil {
			at, name, err = t.carrying.to.at(dir)
		}
	}
	if err != nil {
		return made, err
	}
	if _, err := t.Calls.Status(at, name); !gone(err) {
		return made, err
	}
	t.journal.note(event{Made: exact.Text(dir)})
	if err := t.journal.flush(); err != nil {
		return made, &journalError{err}
	}
	if err := t.Calls.MakeFolder(at, name, 0o777); err != nil {
		return made, err
	}
	return append(made, dir), nil
}

// unmake removes folders that were made for nothing, if they are empty.
func (t *task) unmake(made []string) {
	for i := len(made) - 1; i >= 0; i-- {
		if at, name, err := t.carrying.to.at(made[i]); err == nil {
			t.Calls.RemoveFolder(at, name)
		}
	}
	if len(made) > 0 {
		t.carrying.to.close()
	}
}

// undo puts an entry back to where it was.
func (r renames) undo(u *undoing, s *PastStep) (acted bool, err error) { return u.back(s) }

func (r renames) look(u *undoing, s *PastStep) State { return u.lookAtPaths(s) }

// lookAtPaths tells by the two paths of a step what became of it.
func (u *undoing) lookAtPaths(s *PastStep) State {
	here, there, err := u.areAt(s)
	switch {
	case err != nil:
		return Begun
	case s.copied != nil && there && here:
		return Partly
	case there:
		return Done
	case here:
		return NotBegun
	}
	return Begun
}

// isAt reports whether the entry of a step, or the copy that was made of it, has a
// path. That it could not be looked at is an error, and not that it is not there.
func (u *undoing) isAt(full string, s *PastStep, in *folders) (bool, error) {
	if full == "" {
		return false, nil
	}
	st, err := in.status(full)
	switch {
	case gone(err) || errors.Is(err, errLink):
		return false, nil
	case err != nil:
		return false, err
	}
	return u.isIt(s, &st, in), nil
}

// areAt tells at which of the paths of a step its entry is.
func (u *undoing) areAt(s *PastStep) (here, there bool, err error) {
	if here, err = u.isAt(string(s.Path), s, &u.to); err == nil {
		there, err = u.isAt(string(s.To), s, &u.from)
	}
	return here, there, err
}

var (
	errMovedOn = errors.New("it is no longer where it was put, or something else is")
)

// back puts an entry back to where it was.
func (u *undoing) back(s *PastStep) (acted bool, err error) {
	here, there, err := u.areAt(s)
	switch {
	case err != nil:
		return false, err
	case here && !there:
		// It was never done, or is taken back already; a copy may have been begun.
		return s.State == Done || s.State == Partly, u.discard(s)
	case !there:
		return false, errMovedOn
	}
	at, name, err := u.from.at(string(s.To))
	if err != nil {
		return false, err
	}
	backAt, backName, err := u.to.at(string(s.Path))
	if err != nil {
		return false, err
	}
	if here && s.copied != nil { // a move to another file system that was broken off
		return true, u.rejoin(s, spot{at, name}, spot{backAt, backName})
	}
	err = taken(u.Calls.Rename(at, name, backAt, backName))
	if errors.Is(err, unix.EXDEV) {
		err = u.backAcross(s, spot{at, name}, spot{backAt, backName})
	}
	if err != nil {
		return false, err
	}
	if s.Kind == entry.KindFolder.String() {
		u.from.close()
		u.to.close()
	}
	return true, nil
}

// discard removes what there is of a copy that was not made whole.
func (u *undoing) discard(s *PastStep) error {
	at, _, err := u.from.at(string(s.To))
	switch {
	case gone(err) || s.To == "":
		return nil
	case err != nil:
		return err
	}
	return u.surveyor().discardOwn(at, u.past.under(s.Number))
}

// rejoin puts together what is in two places.
func (u *undoing) rejoin(s *PastStep, made, original spot) error {
	c := &copier{surveyor: u.surveyor()}
	err := c.rejoin(u.ctx, made, original, u.past.under(s.Number))
	if u.notes = c.lost.String(); err == nil && u.notes == "" {
		u.notes = "the move had been broken off; what was in both places is together again where it was"
	}
	u.from.close()
	u.to.close()
	return err
}

// backAcross moves an entry back from another file system.
func (u *undoing) backAcross(s *PastStep, from, to spot) error {
	c := &copier{surveyor: u.surveyor(), again: u.copies.nameAgain(u.Calls)}
	v, err := c.survey(u.ctx, from.at, from.name)
	if err != nil {
		return err
	}
	err = c.across(u.ctx, from, to, u.past.under(s.Number), v, false, func(made *sys.Status) error {
		volume := u.volumes.of(u.Calls, to.at, to.name, made).ID
		u.journal.note(event{Back: s.Number, Inode: made.Inode, Device: made.Device, Volume: volume})
		return u.journal.sync()
	})
	u.notes = c.lost.String()
	if err == nil {
		c.copiesIn(string(s.Path), u.copies)
	}
	return err
}

// surveyor returns what walks through folders for undo.
func (u *undoing) surveyor() *surveyor {
	return &surveyor{calls: u.Calls, own: u.own, progress: u.Progress}
}
