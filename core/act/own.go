package act

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/account"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// own sets owners and groups.
type own struct{ inPlace }

func (own) upwards() bool { return true }

// Owner is a user and a group, by their numbers; -1 for one that stays as it is.
type Owner struct{ UID, GID int64 }

// String writes them as POSIX has it for chown: user:group.
func (o Owner) String() string { return fmt.Sprintf("%d:%d", o.UID, o.GID) }

// parseOwner reads what String writes.
func parseOwner(text string) (o Owner, err error) {
	user, group, both := strings.Cut(text, ":")
	if o.UID, err = strconv.ParseInt(user, 10, 64); err == nil && both {
		o.GID, err = strconv.ParseInt(group, 10, 64)
	}
	const most = 1<<32 - 2 // the last one means none
	if err == nil && (!both || o.UID < -1 || o.GID < -1 || o.UID > most || o.GID > most) {
		err = errNoOwner
	}
	return o, err
}

// OwnerNamed reads OWNER, OWNER:GROUP or :GROUP, by names or numbers, and returns them as
// [Owner] writes them.
func OwnerNamed(names *account.Names, text string) (string, error) {
	o := Owner{-1, -1}
	user, group, _ := strings.Cut(text, ":")
	for _, one := range []struct {
		text, what string
		find       func(string) (uint32, bool)
		to         *int64
	}{{user, "owner", names.UserID, &o.UID}, {group, "group", names.GroupID, &o.GID}} {
		if one.text == "" {
			continue
		}
		id, known := one.find(one.text)
		if !known {
			number, err := strconv.ParseUint(one.text, 10, 32)
			if err != nil || number == 1<<32-1 {
				return "", fmt.Errorf("there is no %s %q here", one.what, one.text)
			}
			id = uint32(number)
		}
		*one.to = int64(id)
	}
	if o == (Owner{-1, -1}) {
		return "", errors.New("say which owner or group: OWNER, OWNER:GROUP or :GROUP")
	}
	return o.String(), nil
}

var (
	errNoOwner    = errors.New("not an owner and a group, by their numbers")
	errSameOwner  = errors.New("it already has this owner and group")
	errGivesAway  = errors.New("only an administrator can give things to another owner, or to a group that one is not in")
	errOwnerOther = errors.New("the system did not set this owner and group")
)

func (own) plan(p *planning, s *Step, e *entry.Entry) error {
	st, err := p.sources.status(string(s.Path))
	if err != nil {
		return err
	}
	before := Owner{int64(st.UID), int64(st.GID)}
	after, err := parseOwner(p.Options.Owner)
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
	if !ownerKept(&given) || !ownerKept(&sys.Status{UID: st.UID, GID: given.GID}) {
		return errGivesAway
	}
	if st.Kind == entry.KindFile && st.Permissions&(entry.SetUser|entry.SetGroup) != 0 {
		s.addNote("the system takes away its set-user and set-group bits; undo gives them back")
	}
	return nil
}

func (own) words(_ *Plan) (ask, done string) { return "set the owner of", "changed" }

func (own) does(p *Plan, s *Step) string {
	if s.NewOwner == "" {
		return "set the owner"
	}
	return p.ownerWords(s.Owner) + " → " + p.ownerWords(s.NewOwner)
}

// ownerWords are the names of an owner and a group, if the plan has some.
func (p *Plan) ownerWords(text string) string {
	if p.NameOwner == nil {
		return text
	}
	o, err := parseOwner(text)
	if err != nil {
		return text
	}
	return p.NameOwner(uint32(o.UID), uint32(o.GID))
}

// capability is the attribute that says what a program may do beyond what its user may.
const capability = "security.capability"

func (own) do(t *task) error {
	before, err := parseOwner(t.step.Owner)
	after, bad := parseOwner(t.step.NewOwner)
	shown := t.own.before(&t.st)
	if err == nil && bad == nil && before != (Owner{int64(shown.UID), int64(shown.GID)}) {
		err = errChanged
	}
	if err := errors.Join(err, bad); err != nil {
		return err
	}
	e := event{}
	if t.st.Kind == entry.KindFile {
		all, err := t.Calls.Attributes(t.from.at, t.from.name)
		if err != nil {
			return err
		}
		e.Capability = exact.Text(all[capability])
	}
	if err := t.begin(e); err != nil {
		return err
	}
	if err := t.Calls.SetOwner(t.from.at, t.from.name, int(after.UID), int(after.GID)); err != nil {
		if errors.Is(err, unix.EPERM) {
			err = errGivesAway
		}
		return err
	}
	now, err := t.Calls.Status(t.from.at, t.from.name)
	if err == nil && after != (Owner{int64(now.UID), int64(now.GID)}) {
		err = errOwnerOther
	}
	if err != nil {
		back := t.Calls.SetOwner(t.from.at, t.from.name, int(before.UID), int(before.GID))
		if back == nil && t.st.Kind != entry.KindLink {
			back = restoreRights(t.Calls, t.from, t.st.Permissions, string(e.Capability))
		}
		return t.takeBack(err, back)
	}
	if e.Capability != "" {
		t.notes = "what it may do as a program (its capabilities) was taken away by the system; undo gives it back"
	}
	t.own.note(&t.st, &now)
	return nil
}

// restoreRights gives a file back what the system takes away from one that is given away.
func restoreRights(calls *sys.Calls, at spot, mode entry.Permissions, capabilities string) error {
	if err := calls.SetPermissions(at.at, at.name, mode); err != nil {
		return err
	}
	if capabilities == "" {
		return nil
	}
	return calls.SetAttribute(at.at, at.name, capability, capabilities)
}

// undo gives an entry back its owner, its group, and the rights that went with them,
// unless they were altered since.
func (own) undo(u *undoing, s *PastStep) (acted bool, err error) {
	at, name, st, done, err := u.still(s)
	defer done()
	if err != nil {
		return false, err
	}
	switch (Owner{int64(st.UID), int64(st.GID)}).String() {
	case s.Owner:
		if st.Kind == entry.KindFile && s.State != Undone && st.Permissions.Octal() != s.Mode && u.bitsWent(s, &st) {
			break // it was broken off before these were given back
		}
		// By another name of the file it may be its owner's again, but not what it could do
		// as a program, which only the step knows that came first.
		given, err := u.capabilities(s, spot{at, name}, &st)
		return given || u.own.has(&st), err
	case s.NewOwner:
	default:
		return false, errSince
	}
	before, err := parseOwner(s.Owner)
	mode, bad := entry.ParsePermissions(s.Mode)
	if err := errors.Join(err, bad); err != nil {
		return false, err
	}
	restore := st.Kind == entry.KindFile && (st.Permissions.Octal() == s.Mode || u.bitsWent(s, &st))
	if err := u.Calls.SetOwner(at, name, int(before.UID), int(before.GID)); err != nil {
		return false, err
	}
	if restore {
		if err := restoreRights(u.Calls, spot{at, name}, mode, s.capability); err != nil {
			return false, fmt.Errorf("the owner is as before, but not the permissions: %w", err)
		}
	}
	if now, err := u.Calls.Status(at, name); err == nil {
		u.own.note(&st, &now)
	}
	return true, nil
}

// capabilities gives a file back what it could do as a program, if a step took that away
// and the file is otherwise as it was.
func (u *undoing) capabilities(s *PastStep, at spot, st *sys.Status) (given bool, err error) {
	if s.capability == "" || st.Kind != entry.KindFile || st.Permissions.Octal() != s.Mode {
		return false, nil
	}
	all, err := u.Calls.Attributes(at.at, at.name)
	if err != nil || all[capability] != "" {
		return false, err
	}
	if err := u.Calls.SetAttribute(at.at, at.name, capability, s.capability); err != nil {
		return false, fmt.Errorf("the owner is as before, but not what it may do as a program: %w", err)
	}
	if now, err := u.Calls.Status(at.at, at.name); err == nil {
		u.own.note(st, &now)
	}
	return true, nil
}

// bitsWent reports whether the permissions are those that a step met, but for the bits
// that the system takes away.
func (u *undoing) bitsWent(s *PastStep, st *sys.Status) bool {
	before, err := entry.ParsePermissions(s.Mode)
	const bits = entry.SetUser | entry.SetGroup
	return err == nil && st.Permissions&^bits == before&^bits && st.Permissions&^before&bits == 0
}

func (own) look(u *undoing, s *PastStep) State {
	_, _, st, done, err := u.still(s)
	defer done()
	if err != nil {
		return Begun
	}
	switch (Owner{int64(st.UID), int64(st.GID)}).String() {
	case s.Owner:
		return NotBegun
	case s.NewOwner:
		return Done
	}
	return Begun
}
