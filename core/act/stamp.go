package act

import (
	"errors"
	"fmt"
	"strings"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// inPlace are the verbs that leave an entry where it is.
type inPlace struct{}

func (inPlace) goes() bool      { return false }
func (inPlace) outermost() bool { return false }
func (inPlace) whole() bool     { return false }
func (inPlace) stays() bool     { return true }

// stamp sets times.
type stamp struct{ inPlace }

func (stamp) upwards() bool { return false }

func (stamp) plan(p *planning, s *Step, _ *entry.Entry) error {
	o := &p.Options
	if (o.Modified == nil || *o.Modified == s.Modified) && (o.Accessed == nil || *o.Accessed == s.Accessed) {
		return errSameTime
	}
	volume := p.volumeOf(s)
	for _, t := range []*exact.Time{o.Modified, o.Accessed} {
		if t != nil && volume.Limited && (t.Sec < volume.First || t.Sec > volume.Last) {
			return fmt.Errorf("%w: it holds %s to %s", errNoSuchTime, dayOf(volume.First), dayOf(volume.Last))
		}
	}
	return nil
}

func dayOf(seconds int64) string {
	return string(entry.Time{Sec: seconds}.AppendRFC3339(nil)[:len("2026-11-25")])
}

func (stamp) words(_ *Plan) (ask, done string) { return "stamp", "stamped" }

func (stamp) does(p *Plan, _ *Step) string {
	var parts []string
	for _, one := range []struct {
		word string
		time *exact.Time
	}{{"modified ", p.Options.Modified}, {"accessed ", p.Options.Accessed}} {
		if one.time != nil {
			text := string(entry.Time(*one.time).AppendRFC3339(nil))
			parts = append(parts, one.word+text[:strings.IndexByte(text, '.')])
		}
	}
	return strings.Join(parts, ", ") + " UTC"
}

// Why times are not set.
var (
	errSameTime   = errors.New("it already has these times")
	errNoSuchTime = errors.New("this file system cannot hold that time")
)

// coarse is how far a time that was set may be from the one that was meant, in
// seconds, so that it is that time still: some file systems keep days only.
const coarse = 86400

func (stamp) do(t *task) error {
	if err := t.begin(event{}); err != nil {
		return err
	}
	o := &t.plan.Options
	if err := setTimes(t.Calls, t.from.at, t.from.name, &t.st, o.Modified, o.Accessed); err != nil {
		return err
	}
	now, err := t.Calls.Status(t.from.at, t.from.name)
	modified, accessed := exact.Time(now.Modified), exact.Time(now.Accessed)
	if err == nil && (far(o.Modified, modified) || far(o.Accessed, accessed)) {
		err = fmt.Errorf("%w: it would be %s", errNoSuchTime, entry.Time(modified).AppendRFC3339(nil))
	}
	if err != nil {
		return t.takeBack(err, t.Calls.SetTimes(t.from.at, t.from.name, t.st.Modified, t.st.Accessed))
	}
	if o.Modified != nil && modified != *o.Modified {
		t.set.Modified, t.notes = &modified, "this file system holds "+string(entry.Time(modified).AppendRFC3339(nil))+" instead"
	}
	if o.Accessed != nil && accessed != *o.Accessed {
		t.set.Accessed, t.notes = &accessed, "this file system holds "+string(entry.Time(accessed).AppendRFC3339(nil))+" instead"
	}
	t.own.note(&t.st, &now)
	return nil
}

// takeBack returns the error of a step that was done and then taken back, unless
// that failed: then it is partly done.
func (t *task) takeBack(err, failed error) error {
	if failed != nil {
		return &partly{1, 1, err}
	}
	if now, err := t.Calls.Status(t.from.at, t.from.name); err == nil {
		t.own.note(&t.st, &now)
	}
	return err
}

// far reports whether a time is another than was meant, not the same less exactly.
func far(meant *exact.Time, is exact.Time) bool {
	return meant != nil && (is.Sec-meant.Sec > coarse || meant.Sec-is.Sec > coarse)
}

// setTimes sets times, as far as they are given.
func setTimes(calls *sys.Calls, at int, name string, st *sys.Status, modified, accessed *exact.Time) error {
	m, a := st.Modified, st.Accessed
	if modified != nil {
		m = entry.Time(*modified)
	}
	if accessed != nil {
		a = entry.Time(*accessed)
	}
	return calls.SetTimes(at, name, m, a)
}

// undo gives an entry back its times, unless they were altered since.
func (stamp) undo(u *undoing, s *PastStep) (acted bool, err error) {
	at, name, st, done, err := u.still(s)
	defer done()
	if err != nil {
		return false, err
	}
	before, _ := u.stampedAs(s, &st)
	if before {
		return u.own.has(&st), nil
	}
	if _, as := u.stampedAs(s, &st); !as {
		return false, errSince
	}
	o := &u.past.Options
	var set [2]*exact.Time
	if o.Modified != nil {
		set[0] = &s.Modified
	}
	if o.Accessed != nil {
		set[1] = &s.Accessed
	}
	if err := setTimes(u.Calls, at, name, &st, set[0], set[1]); err != nil {
		return false, err
	}
	if now, err := u.Calls.Status(at, name); err == nil {
		u.own.note(&st, &now)
	}
	return true, nil
}

// stampedAs reports whether an entry has the times that it had before a step, and
// whether it has those that the step gave it.
func (u *undoing) stampedAs(s *PastStep, st *sys.Status) (before, after bool) {
	o := &u.past.Options
	modified, accessed := exact.Time(st.Modified), exact.Time(st.Accessed)
	before = (o.Modified == nil || modified == s.Modified) && (o.Accessed == nil || accessed == s.Accessed)
	meant := o.Modified
	if s.set.Modified != nil {
		meant = s.set.Modified
	}
	// When it was read is set anew by reading.
	return before, o.Modified == nil || modified == *meant || s.State == Begun && !far(meant, modified)
}

func (stamp) look(u *undoing, s *PastStep) State {
	_, _, st, done, err := u.still(s)
	defer done()
	if err != nil {
		return Begun
	}
	switch before, after := u.stampedAs(s, &st); {
	case before:
		return NotBegun
	case after:
		return Done
	}
	return Begun
}

// still returns what an entry is that has not moved, and where to act on it: a handle, where
// the system has these. The function is to be called in the end.
func (u *undoing) still(s *PastStep) (at int, name string, st sys.Status, done func(), err error) {
	done = func() {}
	if at, name, err = u.from.at(string(s.Path)); err != nil {
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
	if err == nil && !u.isIt(s, &st, &u.from) || gone(err) {
		err = errMovedOn
	}
	return held, name, st, done, err
}
