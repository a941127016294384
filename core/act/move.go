package act

import (
	"errors"
	"fmt"
	"path"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// renames are the verbs after which an entry has another path.
type renames struct{}

func (renames) stays() bool { return false }
func (renames) goes() bool  { return true }

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
	if err := errors.Join(p.notMounted(s), p.mayLeave(s)); err != nil {
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
	if err := errors.Join(p.notMounted(s), p.mayLeave(s)); err != nil {
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
	} else if err := t.isMoved(spot{at, name}); err != nil {
		if isPartly(err) {
			t.to = to
			t.carrying.moved[string(t.step.Path)] = to
		}
		return err
	} else if t.copies[nodeOf(&t.st)] != nil {
		t.notes = "the file system did not rename another of its names, so that was copied; hard links between them are not kept"
	}
	t.went(to)
	return nil
}

// isMoved makes sure that what was renamed is the entry of the step, and notes what became
// of a file of several names; what else had its name by then gets that back.
func (t *task) isMoved(to spot) error {
	now, err := t.Calls.Status(to.at, to.name)
	if err == nil && nodeOf(&now) != nodeOf(&t.st) {
		err = errMeanwhile
	}
	if err == nil {
		t.own.note(&t.st, &now)
		return nil
	}
	if back := taken(t.Calls.Rename(to.at, to.name, t.from.at, t.from.name)); back != nil {
		return &partly{0, 1, errors.Join(err, back)}
	}
	return err
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

// errCopyOfMoved is for a folder that can only be copied to where it goes: undo would not
// know the copies of what other steps have renamed in it.
var errCopyOfMoved = errors.New("the file system does not rename this folder; it is not copied either, as other steps have renamed things in it")

// across moves the entry to another file system.
func (t *task) across(to spot, full string) error {
	if !t.verb.outermost() {
		for moved := range t.carrying.moved {
			if strings.HasPrefix(moved, string(t.step.Path)+"/") {
				return errCopyOfMoved
			}
		}
	}
	s := t.surveyor()
	v := t.survey
	if v == nil {
		var err error
		if v, err = s.survey(t.ctx, t.from.at, t.from.name); err != nil {
			return err
		}
	}
	parted, err := t.partedUnplanned()
	if err != nil {
		return err
	}
	if parted != "" && t.plan.Options.Strict {
		return fmt.Errorf("%w: %s", errLosses, parted)
	}
	c := &copier{surveyor: s, again: t.copies.nameAgain(s), strict: t.plan.Options.Strict}
	err = c.across(t.ctx, t.from, to, t.journal.under(t.number), v, t.step.Mounted, func(made *sys.Status) error {
		volume := t.volumes.of(t.Calls, to.at, to.name, made).ID
		t.noteDetails(c)
		t.journal.note(event{Copied: t.number, Inode: made.Inode, Device: made.Device, Volume: volume, Lost: exact.Text(c.lost.forGood().String())})
		if err := t.journal.sync(); err != nil {
			return &journalError{err}
		}
		return nil
	})
	t.notes = c.lost.String()
	if err == nil || isPartly(err) {
		t.notes = joinNotes(parted, t.notes)
	}
	if isPartly(err) {
		t.to = full
	}
	if err == nil || isPartly(err) {
		c.copiesIn(full, t.copies)
	}
	return err
}

// partedUnplanned says what the plan could not: that a file has other names, where a
// rename was planned and the entry has to be copied, as the file system does not rename it.
func (t *task) partedUnplanned() (string, error) {
	if t.carrying.from.mount() != t.carrying.to.mount() {
		return "", nil
	}
	v := &survey{names: map[entry.Node]*names{}}
	s := t.surveyor()
	s.each = func(_ *walk, st *sys.Status) { v.countNames(st) }
	if _, err := s.survey(t.ctx, t.from.at, t.from.name); err != nil {
		return "", err
	}
	parted := 0
	for node, of := range v.names {
		if t.copies[node] == nil && of.met+t.namesToCome(node) < of.all {
			parted++
		}
	}
	if parted == 0 {
		return "", nil
	}
	return fmt.Sprintf("the file system did not rename it, so it was copied; hard links to what stays are not kept (%d)", parted), nil
}

// namesToCome returns how many names of a file are those of steps that come after this one.
func (t *task) namesToCome(node entry.Node) (n uint64) {
	if t.carrying.named == nil {
		t.carrying.named = map[entry.Node][]int{}
		for i, s := range t.plan.Steps {
			of := entry.Node{Device: s.Device, Inode: s.Inode}
			t.carrying.named[of] = append(t.carrying.named[of], i+1)
		}
	}
	for _, number := range t.carrying.named[node] {
		if number != t.number && number < t.number == t.verb.upwards() {
			n++
		}
	}
	return n
}

// joinNotes joins what is told of a step.
func joinNotes(a, b string) string {
	if a == "" || b == "" {
		return a + b
	}
	return a + "; " + b
}

// noteDetails has the journal say what the copy cannot tell when it is taken back.
func (t *task) noteDetails(c *copier) {
	for _, one := range c.names {
		if t.plan.Action == Copy {
			break
		}
		t.journal.note(event{Linked: t.number, Way: exact.Text(one.way), Inode: one.node.Inode, Device: one.node.Device, Of: int64(one.names)})
	}
	for _, one := range c.held {
		modified, accessed, became := exact.Time(one.modified), exact.Time(one.accessed), exact.Time(one.became)
		t.journal.note(event{Held: t.number, Way: exact.Text(one.way), Modified: &modified, Accessed: &accessed, Became: &became})
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
	case gone(err) || errors.Is(err, errLink) || errors.Is(err, errNoFolderNow):
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

// settle gives what has a name of no meaning, as an action or its undo was broken off, the
// name that it had before.
func (u *undoing) settle(s *PastStep) error {
	names := []string{u.past.under(s.Number)}
	if u.past.Options.forGood(u.past.Action) {
		names = append(names, u.past.under(forPassing))
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
func (u *undoing) settleAs(s *PastStep, full, under string) error {
	at, name, err := u.from.at(full)
	if gone(err) || errors.Is(err, errLink) || errors.Is(err, errNoFolderNow) {
		return nil
	}
	var st sys.Status
	if err == nil {
		st, err = u.Calls.Status(at, under)
	}
	if gone(err) {
		return nil
	}
	if err != nil {
		return err
	}
	if !u.isIt(s, &st, &u.from) || !isPlausible(s, &st) || s.returning && full == string(s.Path) && !u.isCopy(s, &st) {
		return nil // the beginning of a copy, which may have got the number that the entry had
	}
	if s.returning && full == string(s.Path) { // a copy, of which some may have been taken away again
		if there, err := u.isAt(string(s.To), s, &u.to); there || err != nil {
			return err
		}
	}
	err = taken(u.Calls.Rename(at, under, at, name))
	if err == errTaken {
		return nil // it stays, or is a copy that is not needed
	}
	if err != nil {
		return err
	}
	if st.Kind == entry.KindFolder {
		u.from.close()
		u.to.close()
	}
	return nil
}

// isPlausible reports whether what has the number of a step's entry can be that, on a file
// system that does not say when something was made: it may have given the number to the
// beginning of a copy, which gets its times and rights last.
func isPlausible(s *PastStep, st *sys.Status) bool {
	switch {
	case st.Born != (entry.Time{}) && s.Born != (exact.Time{}) || st.Inode != s.Inode:
		return true
	case st.Kind == entry.KindFolder:
		return st.Permissions.Octal() == s.Mode
	}
	return st.Modified == entry.Time(s.Modified) && (st.Kind != entry.KindFile || st.Size == s.Size)
}

// back puts an entry back to where it was.
func (u *undoing) back(s *PastStep) (acted bool, err error) {
	if err := u.settle(s); err != nil {
		return false, err
	}
	here, there, err := u.areAt(s)
	switch {
	case err != nil:
		return false, err
	case here && !there:
		// It was never done, or is taken back already; a copy may have been begun.
		if (len(s.held) > 0 || len(s.linked) > 0 || s.apart > 0) && s.State != Failed { // it may have come back just before a kill
			u.noteApart(s)
			return true, errors.Join(u.discard(s), u.exactTimes(s))
		}
		if s.State == Done { // likewise
			u.noteApart(s)
		}
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
	err = u.renameBack(s, spot{at, name}, spot{backAt, backName})
	renamed := err == nil
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
	if renamed {
		return true, u.renamedBack(s)
	}
	return true, nil
}

// renamedBack looks after what may be left of attempts to copy an entry, which is back by a
// rename, or another name of it.
func (u *undoing) renamedBack(s *PastStep) error {
	u.noteApart(s)
	if s.returning || len(s.copied) > 0 {
		return u.discard(s)
	}
	return nil
}

// renameBack renames an entry back, and makes sure that it was the one that was meant.
func (u *undoing) renameBack(s *PastStep, from, to spot) error {
	if err := taken(u.Calls.Rename(from.at, from.name, to.at, to.name)); err != nil {
		return err
	}
	st, err := u.Calls.Status(to.at, to.name)
	if err == nil && !u.isIt(s, &st, &u.to) {
		err = errors.Join(errMovedOn, taken(u.Calls.Rename(to.at, to.name, from.at, from.name)))
	}
	return err
}

// discard removes what there is of copies that were not made whole, of an entry that is
// where it was: on the way there, and on the way back.
func (u *undoing) discard(s *PastStep) error {
	err := u.discardIn(path.Dir(string(s.Path)), s)
	if to := path.Dir(string(s.To)); s.To != "" && to != path.Dir(string(s.Path)) {
		err = errors.Join(err, u.discardIn(to, s))
	}
	return err
}

// discardIn does so in one folder.
func (u *undoing) discardIn(dir string, s *PastStep) error {
	under := u.past.under(s.Number)
	at, _, err := u.from.at(path.Join(dir, under))
	var left sys.Status
	if err == nil {
		left, err = u.Calls.Status(at, under)
	}
	if gone(err) || errors.Is(err, errLink) || errors.Is(err, errNoFolderNow) {
		return nil
	}
	if err != nil {
		return err
	}
	originalAt, original, err := u.to.at(string(s.Path))
	var now sys.Status
	if err == nil {
		now, err = u.Calls.Status(originalAt, original)
	}
	if err == nil && nodeOf(&now) == nodeOf(&left) {
		err = errNotOurs // another name of it, and no copy
	}
	if err != nil {
		return err
	}
	return u.surveyor().discardBegun(u.ctx, at, under, spot{originalAt, original})
}

// rejoin puts together what is in two places.
func (u *undoing) rejoin(s *PastStep, made, original spot) error {
	c := &copier{surveyor: u.surveyor(), again: u.rejoined(s)}
	err := c.rejoin(u.ctx, made, original, u.past.under(s.Number))
	u.from.close()
	u.to.close()
	if err == nil {
		err = u.exactTimes(s)
	}
	if u.notes = joinNotes(s.lost, u.notKept(s, c)); err == nil && u.notes == "" {
		u.notes = "the move had been broken off; what was in both places is together again where it was"
	}
	u.noteApart(s)
	return err
}

// noteApart says that hard links could not be made again.
func (u *undoing) noteApart(s *PastStep) {
	n := u.parted(s)
	if u.past.Action == Clear {
		n = s.Links
	}
	if n += s.apart; n > 0 {
		u.notes = joinNotes(u.notes, fmt.Sprintf("hard links could not be made again (%d)", n))
	}
}

// exactTimes gives what came back from a file system that holds times less exactly, or not
// all of them, the times that it had.
func (u *undoing) exactTimes(s *PastStep) (err error) {
	for _, one := range s.held {
		at, name, now, e := u.lookBack(s, one.way)
		if e == nil && now.Modified == one.became {
			e = u.Calls.SetTimes(at, name, one.modified, one.accessed)
		}
		if e != nil && !gone(e) && err == nil {
			err = fmt.Errorf("it is back, but not all of its times are as before: %w", e)
		}
	}
	return err
}

// lookBack looks at an entry that came back with a step.
func (u *undoing) lookBack(s *PastStep, way string) (at int, name string, now sys.Status, err error) {
	if at, name, err = u.to.at(path.Join(string(s.Path), way)); err == nil {
		now, err = u.Calls.Status(at, name)
	}
	return at, name, now, err
}

// notKept says what was lost on the way back, once exact times are set: those that the copy
// could not have at first are not lost if they are as before now.
func (u *undoing) notKept(s *PastStep, c *copier) string {
	meant := map[string]heldTimes{}
	for _, one := range s.held {
		meant[one.way] = one
	}
	for _, one := range c.held {
		times := one.modified
		if before, known := meant[one.way]; known && before.became == times {
			times = before.modified
		}
		if _, _, now, err := u.lookBack(s, one.way); err == nil && now.Modified == times {
			c.lost.times--
		}
	}
	return c.lost.String()
}

// noteBack has the journal say what stands for an entry that was brought back.
func (u *undoing) noteBack(s *PastStep, made *sys.Status, volume string) error {
	s.copied = append(s.copied, place{made.Inode, made.Device, volume})
	u.journal.note(event{Back: s.Number, Inode: made.Inode, Device: made.Device, Volume: volume, Apart: s.apart})
	return u.journal.sync()
}

// backAcross moves an entry back from another file system.
func (u *undoing) backAcross(s *PastStep, from, to spot) error {
	if !verbs[u.past.Action].outermost() {
		for _, other := range u.past.Steps {
			if strings.HasPrefix(string(other.Path), string(s.Path)+"/") && other.State != Failed && other.State != NotBegun && other.State != Undone {
				return errCopyOfMoved
			}
		}
	}
	c := &copier{surveyor: u.surveyor(), again: u.rejoined(s)}
	v, err := c.survey(u.ctx, from.at, from.name)
	if err != nil {
		return err
	}
	u.journal.note(event{Return: s.Number})
	if err := u.journal.flush(); err != nil {
		return err
	}
	err = c.across(u.ctx, from, to, u.past.under(s.Number), v, false, func(made *sys.Status) error {
		s.apart = u.leftBehind(s, c.names)
		return u.noteBack(s, made, u.volumes.of(u.Calls, to.at, to.name, made).ID)
	})
	if err == nil {
		err = u.exactTimes(s)
	}
	u.notes = u.notKept(s, c)
	if err == nil {
		u.noteApart(s)
		c.copiesIn(string(s.Path), u.copies)
	}
	return err
}

// leftBehind returns how many files of an entry, which went by a rename and came back as a
// copy, had other names that did not come with it.
func (u *undoing) leftBehind(s *PastStep, copied []several) (n int) {
	if s.linked != nil {
		return 0 // see parted
	}
	met := map[entry.Node]uint64{}
	for _, one := range copied {
		met[one.node]++
	}
	for _, one := range copied {
		if u.copies[one.node] == nil && met[one.node] < one.names {
			met[one.node] = one.names // it counts once
			n++
		}
	}
	return n
}

// surveyor returns what walks through folders for undo.
func (u *undoing) surveyor() *surveyor {
	return &surveyor{calls: u.Calls, own: u.own, progress: u.Progress}
}
