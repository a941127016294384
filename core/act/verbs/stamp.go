package verbs

import (
	"errors"
	"fmt"
	"strings"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// stamp sets times.
type stamp struct{}

// Traits implements Verb.
func (stamp) Traits() doing.Traits {
	return doing.Traits{Stays: true, Links: true}
}

func (stamp) Plan(p *doing.Planning, s *plans.Step, _ *entry.Entry) error {
	o := &p.Options
	if (o.Modified == nil || *o.Modified == s.Modified) && (o.Accessed == nil || *o.Accessed == s.Accessed) {
		return errSameTime
	}
	volume := p.VolumeOf(s)
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

func (stamp) Words(_ *plans.Plan) (ask, done string) { return "stamp", "stamped" }

func (stamp) Does(p *plans.Plan, s *plans.Step) string {
	tell := p.TellTime
	if tell == nil {
		tell = inUTC
	}
	var parts []string
	for _, one := range []struct {
		word   string
		before exact.Time
		time   *exact.Time
	}{{"modified ", s.Modified, p.Options.Modified}, {"accessed ", s.Accessed, p.Options.Accessed}} {
		if one.time != nil {
			parts = append(parts, one.word+tell(entry.Time(one.before))+" → "+tell(entry.Time(*one.time)))
		}
	}
	return strings.Join(parts, ", ")
}

// inUTC is a moment to the second, in Coordinated Universal Time.
func inUTC(t entry.Time) string {
	text := string(t.AppendRFC3339(nil))
	return text[:strings.IndexByte(text, '.')] + "Z"
}

// Why times are not set.
var (
	errSameTime   = doing.So("it already has these times")
	errNoSuchTime = errors.New("this file system cannot hold that time")
)

// coarse is how far a time that was set may be from the one that was meant, in
// seconds, so that it is that time still: some file systems keep days only.
const coarse = 86400

func (stamp) Do(t *doing.Task) error {
	if err := t.BeginStep(journals.Event{}); err != nil {
		return err
	}
	o := &t.Plan.Options
	if err := setTimes(t.Calls, t.From.At, t.From.Name, &t.Status, o.Modified, o.Accessed); err != nil {
		return err
	}
	now, err := t.Calls.Status(t.From.At, t.From.Name)
	modified, accessed := exact.Time(now.Modified), exact.Time(now.Accessed)
	if err == nil && (far(o.Modified, modified) || far(o.Accessed, accessed)) {
		err = fmt.Errorf("%w: it would be %s", errNoSuchTime, entry.Time(modified).AppendRFC3339(nil))
	}
	if err != nil {
		return t.TakeBack(err, t.Calls.SetTimes(t.From.At, t.From.Name, t.Status.Modified, t.Status.Accessed))
	}
	if o.Modified != nil && modified != *o.Modified {
		t.Set.Modified, t.Notes = &modified, "this file system holds "+string(entry.Time(modified).AppendRFC3339(nil))+" instead"
	}
	if o.Accessed != nil && accessed != *o.Accessed {
		t.Set.Accessed, t.Notes = &accessed, "this file system holds "+string(entry.Time(accessed).AppendRFC3339(nil))+" instead"
	}
	t.Own.Note(&t.Status, &now)
	return nil
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

// Undo gives an entry back its times, unless they were altered since.
func (stamp) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	at, name, st, done, err := u.Still(s)
	defer done()
	if err != nil {
		return false, err
	}
	before, _ := stampedAs(u, s, &st)
	if before {
		return u.Own.Has(&st), nil
	}
	if _, as := stampedAs(u, s, &st); !as {
		return false, doing.ErrSince
	}
	o := &u.Past.Options
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
		u.Own.Note(&st, &now)
	}
	return true, nil
}

// stampedAs reports whether an entry has the times it had before a step, and
// whether it has those that the step gave it.
func stampedAs(u *doing.Undoing, s *journals.PastStep, st *sys.Status) (before, after bool) {
	o := &u.Past.Options
	modified, accessed := exact.Time(st.Modified), exact.Time(st.Accessed)
	before = (o.Modified == nil || modified == s.Modified) && (o.Accessed == nil || accessed == s.Accessed)
	meant := o.Modified
	if s.Set.Modified != nil {
		meant = s.Set.Modified
	}
	// When it was read is set anew by reading.
	return before, o.Modified == nil || modified == *meant || s.State == journals.Begun && !far(meant, modified)
}

func (stamp) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	_, _, st, done, err := u.Still(s)
	defer done()
	if err != nil {
		return journals.Begun
	}
	switch before, after := stampedAs(u, s, &st); {
	case before:
		return journals.NotBegun
	case after:
		return journals.Done
	}
	return journals.Begun
}

// Undoes implements Verb.
func (stamp) Undoes(*plans.Options, *plans.Step) string { return "the times it had" }
