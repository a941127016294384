package act

import (
	"errors"
	"fmt"
	"path"
	"strings"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// copyTo copies entries into a folder, with all that is in them.
type copyTo struct{}

func (copyTo) stays() bool     { return false }
func (copyTo) goes() bool      { return true }
func (copyTo) upwards() bool   { return false }
func (copyTo) outermost() bool { return true }
func (copyTo) whole() bool     { return true }

func (copyTo) plan(p *planning, s *Step, e *entry.Entry) error {
	to := path.Base(string(s.Path))
	if p.Options.KeepFolders && !e.Self {
		to = e.Relative()
	}
	full := path.Join(string(p.Options.Into), to)
	switch {
	case full == string(s.Path) && !p.Options.Number:
		return errHere
	case strings.HasPrefix(full, string(s.Path)+"/"):
		return errInItself
	case s.Path == "/":
		return errRoot
	}
	if err := p.goes(s, full); err != nil {
		return err
	}
	kept, err := p.target(path.Dir(full))
	if err != nil {
		return err
	}
	if s.Kind != entry.KindFolder.String() {
		return p.copyNotes(s, kept)
	}
	at, name, err := p.sources.at(string(s.Path))
	if err != nil {
		return err
	}
	v, err := (&surveyor{calls: p.calls, to: kept, mine: ownerKept, noteMounts: true}).survey(p.ctx, at, name)
	if err != nil {
		return err
	}
	s.Holds = &v.Holds
	if len(v.mounts) > 0 {
		return mountsInside(v.mounts)
	}
	return p.note(s, v, kept)
}

func (copyTo) words(p *Plan) (ask, done string) {
	return "copy into " + string(p.Options.Into), "copied"
}

func (copyTo) does(p *Plan, s *Step) string {
	way, in := strings.CutPrefix(string(s.To), string(p.Options.Into)+"/")
	if !in {
		way = string(s.To) // as edited
	}
	return "copy as " + way
}

// do makes a copy under another name, reads it back, and gives it its own name when it is
// whole.
func (copyTo) do(t *task) error {
	to := string(t.step.To)
	made, err := t.makeFolders(path.Dir(to))
	if err == nil {
		err = t.copyAs(to)
	}
	if err != nil {
		t.unmake(made)
	}
	return err
}

func (t *task) copyAs(to string) error {
	at, name, err := t.carrying.to.at(to)
	if err != nil {
		return err
	}
	if _, err := t.Calls.Status(at, name); !gone(err) {
		if err == nil {
			err = errTaken
		}
		return err
	}
	if err := t.begin(event{}); err != nil {
		return err
	}
	c := &copier{surveyor: t.surveyor(), again: t.copies.nameAgain(t.surveyor())}
	v := t.survey
	if v == nil {
		if v, err = c.survey(t.ctx, t.from.at, t.from.name); err != nil {
			return err
		}
	}
	under := t.journal.under(t.number)
	copied, err := c.whole(t.ctx, t.from, spot{at, name}, under, v)
	if err == nil && t.plan.Options.Strict && c.lost != (lost{}) {
		err = fmt.Errorf("%w: %s", errLosses, c.lost)
	}
	if err == nil {
		t.noteDetails(c)
		t.journal.note(event{Copied: t.number, Inode: copied.Inode, Device: copied.Device, Volume: t.volumes.of(t.Calls, at, under, &copied).ID})
		if err = t.journal.sync(); err != nil {
			err = &journalError{err}
		}
	}
	if err == nil {
		err = taken(t.Calls.Rename(at, under, at, name))
	}
	if err != nil {
		return c.discardMadeAfter(err, at, under, t.from)
	}
	t.notes = c.lost.String()
	c.copiesIn(to, t.copies)
	t.to = to
	t.carrying.to.close()
	t.keepers.close()
	return t.noteCopy(to, &copied, c)
}

// noteCopy has the journal say what the copy is, so that undo can tell whether it still is.
func (t *task) noteCopy(to string, made *sys.Status, c *copier) error {
	at, name, err := t.carrying.to.at(to)
	if err == nil {
		err = t.Calls.SyncFolder(at)
	}
	var now *survey
	surveyor, next, as := t.surveyor(), 0, true
	surveyor.each = func(w *walk, st *sys.Status) {
		as = as && next < len(c.made) && c.made[next].is(w, st)
		next++
	}
	if err == nil {
		now, err = surveyor.survey(t.ctx, at, name)
	}
	var st sys.Status
	if err == nil {
		st, err = t.Calls.Status(at, name)
	}
	if err == nil && nodeOf(&st) != nodeOf(made) {
		err = errMovedOn
	}
	if err != nil {
		return &partly{1, 1, err}
	}
	if !as || next != len(c.made) {
		t.notes = joinNotes(t.notes, "something was put into the copy while it was made, so that undo leaves it")
		return nil
	}
	changed := exact.Time(st.Changed)
	t.set.Changed, t.set.Digest = &changed, now.Digest
	return nil
}

// undo removes a copy that is still as it was made.
func (copyTo) undo(u *undoing, s *PastStep) (acted bool, err error) {
	under := u.past.under(s.Number)
	at, name, err := u.from.at(string(s.To))
	if gone(err) { // its folder, too
		if s.State == Done && !s.dropping {
			return false, errMovedOn
		}
		return s.dropping, nil
	}
	if err != nil {
		return false, err
	}
	surveyor := u.surveyor()
	surveyor.ours = true
	left, err := u.Calls.Status(at, under)
	if err == nil { // it was being made, or being taken away
		if s.State != Done || s.dropping || !u.isCopy(s, &left) {
			originalAt, original, err := u.to.at(string(s.Path))
			if err != nil {
				return false, err
			}
			return true, surveyor.discardBegun(u.ctx, at, under, spot{originalAt, original})
		}
		if err := u.settle(s); err != nil {
			return false, err
		}
		if at, name, err = u.from.at(string(s.To)); err != nil {
			return false, err
		}
	} else if !gone(err) {
		return false, err
	}
	st, err := u.Calls.Status(at, name)
	if gone(err) || err == nil && !u.isCopy(s, &st) {
		if s.State == Done && !s.dropping {
			return false, errMovedOn
		}
		return s.dropping && gone(err), nil
	}
	if err != nil {
		return false, err
	}
	v, err := surveyor.survey(u.ctx, at, name)
	if err != nil {
		return false, err
	}
	if shown := u.own.before(&st); s.set.Changed == nil || shown.Changed != entry.Time(*s.set.Changed) || v.Digest != s.set.Digest {
		if err := u.isStillCopy(s, spot{at, name}, v); err != nil {
			return false, err
		}
	}
	return true, u.dropWhole(s, spot{at, name}, under, v, surveyor)
}

// isStillCopy returns an error unless a copy is the same in all as what it is a copy of: it
// was broken off, or has a file that another step has given a name, or taken one from, so
// that it is not as it was when it was made.
func (u *undoing) isStillCopy(s *PastStep, copied spot, v *survey) error {
	original, name, err := u.to.at(string(s.Path))
	if err != nil {
		return errSince
	}
	became := map[string]entry.Time{}
	for _, one := range s.held {
		became[one.way] = one.became
	}
	err = u.surveyor().isIn(u.ctx, copied, v, spot{original, name}, make([]byte, 2*piece), became)
	for _, differs := range []error{errNotSpare, errNoKeeper, errChanged, errKeeper, errSameFile, errOtherOwner} {
		if errors.Is(err, differs) {
			return errSince
		}
	}
	return err
}

// dropWhole removes a copy that is as it was made.
func (u *undoing) dropWhole(s *PastStep, from spot, under string, v *survey, surveyor *surveyor) error {
	u.journal.note(event{Drop: s.Number})
	if err := u.journal.flush(); err != nil {
		return err
	}
	err := surveyor.aside(from.at, from.name, under, &v.top)
	if err != nil {
		return err
	}
	removed := int64(0)
	switch {
	case v.top.Kind == entry.KindFolder:
		removed, err = surveyor.removeAll(u.ctx, from.at, under, v, false)
	default:
		err = surveyor.unlink(from.at, under, &v.top)
	}
	if err != nil && removed == 0 {
		return surveyor.backAside(err, from.at, from.name, under)
	}
	return err
}

// isCopy reports whether an entry is the copy that a step has made.
func (u *undoing) isCopy(s *PastStep, st *sys.Status) bool {
	volume := func() string { return u.volumes.named(u.Calls, &u.from, st) }
	for _, made := range s.copied {
		if st.Inode == made.inode && st.Kind.String() == s.Kind && isVolume(made.device, made.volume, st, volume) {
			return true
		}
	}
	return false
}

func (copyTo) look(u *undoing, s *PastStep) State {
	if leftUnder(&u.from, &Step{Path: s.To}, u.past.under, s.Number, false) != "" {
		return Partly
	}
	st, err := u.from.status(string(s.To))
	switch {
	case gone(err):
		return NotBegun
	case err != nil:
		return Begun
	case u.isCopy(s, &st):
		return Done
	}
	return NotBegun
}
