package act

import (
	"errors"
	"path"
	"strings"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// copyTo copies entries into a folder, with all that is in them.
type copyTo struct{}

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
	v, err := (&surveyor{calls: p.calls, closely: true, mine: ownerKept, noteMounts: true}).survey(p.ctx, at, name)
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
	c := &copier{surveyor: t.surveyor(), again: t.copies.nameAgain(t.Calls)}
	v := t.survey
	if v == nil {
		if v, err = c.survey(t.ctx, t.from.at, t.from.name); err != nil {
			return err
		}
	}
	under := t.journal.under(t.number)
	copied, err := c.whole(t.ctx, t.from, spot{at, name}, under, v)
	if err == nil {
		t.journal.note(event{Copied: t.number, Inode: copied.Inode, Device: copied.Device, Volume: t.volumes.of(t.Calls, at, under, &copied).ID})
		if err = t.journal.sync(); err != nil {
			err = &journalError{err}
		}
	}
	if err == nil {
		err = taken(t.Calls.Rename(at, under, at, name))
	}
	if err != nil {
		return c.discardAfter(err, at, under)
	}
	t.notes = c.lost.String()
	c.copiesIn(to, t.copies)
	t.to = to
	t.carrying.to.close()
	t.keepers.close()
	return t.noteCopy(to, &copied)
}

// noteCopy has the journal say what the copy is, so that undo can tell whether it still is.
func (t *task) noteCopy(to string, made *sys.Status) error {
	at, name, err := t.carrying.to.at(to)
	if err == nil {
		err = t.Calls.SyncFolder(at)
	}
	var now *survey
	if err == nil {
		now, err = t.surveyor().survey(t.ctx, at, name)
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
	changed := exact.Time(st.Changed)
	t.set.Changed, t.set.Digest = &changed, now.Digest
	return nil
}

// undo removes a copy that is still as it was made.
func (copyTo) undo(u *undoing, s *PastStep) (acted bool, err error) {
	under := u.past.under(s.Number)
	at, name, err := u.from.at(string(s.To))
	if gone(err) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	surveyor := u.surveyor()
	st, err := u.Calls.Status(at, name)
	if gone(err) || err == nil && !u.isCopy(s, &st) {
		_, beside := u.Calls.Status(at, under)
		if left := surveyor.discardOwn(at, under); left != nil || err == nil && s.State == Done && beside != nil {
			return false, errors.Join(left, errMovedOn)
		}
		return beside == nil, nil // it was being made, or being taken away
	}
	if err != nil {
		return false, err
	}
	same := s.set.Changed != nil && st.Changed == entry.Time(*s.set.Changed)
	// It was broken off, or is a file that another step has given a name, or taken one
	// from: what is the same as what it is a copy of goes.
	alike := st.Kind == entry.KindFile && st.Size == s.Size && st.Modified == entry.Time(s.Modified) && st.Permissions.Octal() == s.Mode
	if s.set.Changed == nil || !same && alike {
		original, originalName, err := u.to.at(string(s.Path))
		if err != nil {
			return false, err
		}
		return true, surveyor.dropCopy(u.ctx, at, name, original, originalName)
	}
	if !same {
		return false, errSince
	}
	if err := u.Calls.Rename(at, name, at, under); err != nil {
		return false, err
	}
	now, err := surveyor.survey(u.ctx, at, under)
	if err == nil && now.Digest != s.set.Digest {
		err = errSince
	}
	if err != nil {
		return false, errors.Join(err, u.Calls.Rename(at, under, at, name))
	}
	u.from.close()
	if at, _, err = u.from.at(string(s.To)); err != nil {
		return false, err
	}
	return true, surveyor.discardOwn(at, under)
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
