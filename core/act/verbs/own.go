package verbs

import (
	"errors"
	"fmt"

	"golang.org/x/sys/unix"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// own sets owners and groups.
type own struct{}

// Traits implements Verb.
func (own) Traits() doing.Traits {
	return doing.Traits{Stays: true, Upwards: true, Links: true}
}

var (
	errSameOwner  = doing.So("it already has this owner and group")
	errGivesAway  = errors.New("only an administrator can change the owner, or set a group that you are not in")
	errOwnerOther = errors.New("the system did not set this owner and group")
)

func (own) Plan(p *doing.Planning, s *plans.Step, e *entry.Entry) error {
	st, err := p.Sources.Status(string(s.Path))
	if err != nil {
		return err
	}
	before := plans.Owner{UID: int64(st.UID), GID: int64(st.GID)}
	after, err := plans.ParseOwner(p.Options.Owner)
	if err != nil {
		return err
	}
	if after.UID < 0 {
		after.UID = before.UID
	}
	if after.GID < 0 {
		after.GID = before.GID
	}
	if before == after {
		return errSameOwner
	}
	s.Owner, s.NewOwner = before.String(), after.String()
	given := sys.Status{UID: uint32(after.UID), GID: uint32(after.GID)}
	if !tree.OwnerKept(&given) || !tree.OwnerKept(&sys.Status{UID: st.UID, GID: given.GID}) {
		return errGivesAway
	}
	if st.Kind == entry.KindFile && st.Permissions&(entry.SetUser|entry.SetGroup) != 0 {
		s.AddNote("the system removes its set-user and set-group bits; undo restores them")
	}
	return nil
}

func (own) Words(_ *plans.Plan) (ask, done string) { return "change the owner of", "changed" }

func (own) Does(p *plans.Plan, s *plans.Step) string {
	if s.NewOwner == "" {
		return "set the owner"
	}
	return ownerWords(p, s.Owner) + " → " + ownerWords(p, s.NewOwner)
}

// ownerWords are the names of an owner and a group, if the plan has some.
func ownerWords(p *plans.Plan, text string) string {
	if p.NameOwner == nil {
		return text
	}
	o, err := plans.ParseOwner(text)
	if err != nil {
		return text
	}
	return p.NameOwner(uint32(o.UID), uint32(o.GID))
}

// capability is the attribute that says what a program may do beyond what its user may.
const capability = "security.capability"

func (own) Do(t *doing.Task) error {
	before, err := plans.ParseOwner(t.Step.Owner)
	after, bad := plans.ParseOwner(t.Step.NewOwner)
	shown := t.Own.Before(&t.Status)
	if err == nil && bad == nil && before != (plans.Owner{UID: int64(shown.UID), GID: int64(shown.GID)}) {
		err = openat.ErrChanged
	}
	if err := errors.Join(err, bad); err != nil {
		return err
	}
	e := journals.Event{}
	if t.Status.Kind == entry.KindFile {
		all, err := t.Calls.Attributes(t.From.At, t.From.Name)
		if err != nil {
			return err
		}
		e.Capability = exact.Text(all[capability])
	}
	if err := t.BeginStep(e); err != nil {
		return err
	}
	if err := t.Calls.SetOwner(t.From.At, t.From.Name, int(after.UID), int(after.GID)); err != nil {
		if errors.Is(err, unix.EPERM) {
			err = errGivesAway
		}
		return err
	}
	now, err := t.Calls.Status(t.From.At, t.From.Name)
	if err == nil && after != (plans.Owner{UID: int64(now.UID), GID: int64(now.GID)}) {
		err = errOwnerOther
	}
	if err != nil {
		back := t.Calls.SetOwner(t.From.At, t.From.Name, int(before.UID), int(before.GID))
		if back == nil && t.Status.Kind != entry.KindLink {
			back = restoreRights(t.Calls, t.From, t.Status.Permissions, string(e.Capability))
		}
		return t.TakeBack(err, back)
	}
	if e.Capability != "" {
		t.Notes = "the system removed its capabilities; undo restores them"
	}
	t.Own.Note(&t.Status, &now)
	return nil
}

// restoreRights gives a file back what the system takes away from one that is given away.
func restoreRights(calls *sys.Calls, at openat.Spot, mode entry.Permissions, capabilities string) error {
	if err := calls.SetPermissions(at.At, at.Name, mode); err != nil {
		return err
	}
	if capabilities == "" {
		return nil
	}
	return calls.SetAttribute(at.At, at.Name, capability, capabilities)
}

// Undo gives an entry back its owner, its group, and the rights that went with them,
// unless they were altered since.
func (own) Undo(u *doing.Undoing, s *journals.PastStep) (acted bool, err error) {
	at, name, st, done, err := u.Still(s)
	defer done()
	if err != nil {
		return false, err
	}
	switch (plans.Owner{UID: int64(st.UID), GID: int64(st.GID)}).String() {
	case s.Owner:
		if st.Kind == entry.KindFile && s.State != journals.Undone && st.Permissions.Octal() != s.Mode && bitsWent(u, s, &st) {
			break // it was broken off before these were given back
		}
		// By another name of the file it may be its owner's again, but not what it could do
		// as a program, which only the step knows that came first.
		given, err := capabilities(u, s, openat.Spot{At: at, Name: name}, &st)
		return given || u.Own.Has(&st), err
	case s.NewOwner:
	default:
		return false, doing.ErrSince
	}
	before, err := plans.ParseOwner(s.Owner)
	mode, bad := entry.ParsePermissions(s.Mode)
	if err := errors.Join(err, bad); err != nil {
		return false, err
	}
	restore := st.Kind == entry.KindFile && (st.Permissions.Octal() == s.Mode || bitsWent(u, s, &st))
	if err := u.Calls.SetOwner(at, name, int(before.UID), int(before.GID)); err != nil {
		return false, err
	}
	if restore {
		if err := restoreRights(u.Calls, openat.Spot{At: at, Name: name}, mode, s.Capability); err != nil {
			return false, fmt.Errorf("the owner is restored, but not the permissions: %w", err)
		}
	}
	if now, err := u.Calls.Status(at, name); err == nil {
		u.Own.Note(&st, &now)
	}
	return true, nil
}

// capabilities gives a file back what it could do as a program, if a step took that away
// and the file is otherwise as it was.
func capabilities(u *doing.Undoing, s *journals.PastStep, at openat.Spot, st *sys.Status) (given bool, err error) {
	if s.Capability == "" || st.Kind != entry.KindFile || st.Permissions.Octal() != s.Mode {
		return false, nil
	}
	all, err := u.Calls.Attributes(at.At, at.Name)
	if err != nil || all[capability] != "" {
		return false, err
	}
	if err := u.Calls.SetAttribute(at.At, at.Name, capability, s.Capability); err != nil {
		return false, fmt.Errorf("the owner is restored, but not its capabilities: %w", err)
	}
	if now, err := u.Calls.Status(at.At, at.Name); err == nil {
		u.Own.Note(st, &now)
	}
	return true, nil
}

// bitsWent reports whether the permissions are those that a step met, but for the bits
// that the system takes away.
func bitsWent(u *doing.Undoing, s *journals.PastStep, st *sys.Status) bool {
	before, err := entry.ParsePermissions(s.Mode)
	const bits = entry.SetUser | entry.SetGroup
	return err == nil && st.Permissions&^bits == before&^bits && st.Permissions&^before&bits == 0
}

func (own) Look(u *doing.Undoing, s *journals.PastStep) journals.State {
	_, _, st, done, err := u.Still(s)
	defer done()
	if err != nil {
		return journals.Begun
	}
	switch (plans.Owner{UID: int64(st.UID), GID: int64(st.GID)}).String() {
	case s.Owner:
		return journals.NotBegun
	case s.NewOwner:
		return journals.Done
	}
	return journals.Begun
}

// Undoes implements Verb.
func (own) Undoes(_ *plans.Options, s *plans.Step) string { return s.NewOwner + " → " + s.Owner }
