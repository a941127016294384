package act

import (
	"errors"
	"fmt"
	"maps"
	"path"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
)

// clearing removes spares, or has them take no room. Right before that is done to one,
// it is compared, byte by byte, with what stays of it.
type clearing struct{ remove }

func (c clearing) plan(p *planning, s *Step, e *entry.Entry) error {
	switch {
	case s.Keeper == nil:
		return errNoSpare
	case p.Options.By == ByRemoving:
		return c.remove.plan(p, s, e)
	case s.Kind != entry.KindFile.String():
		return errOnlyFiles
	}
	stays, err := p.keepersIn.status(string(s.Keeper.Path))
	if err != nil {
		return err
	}
	if p.Options.By == ByShared {
		return p.shares(s)
	}
	return p.links(s, &stays)
}

func (c clearing) words(p *Plan) (ask, done string) {
	switch p.Options.By {
	case ByLinks:
		return "make one file with the file that stays of", "made one with the file that stays"
	case ByShared:
		return "have share its content with the file that stays", "sharing their content"
	}
	return c.remove.words(p)
}

func (c clearing) does(p *Plan, s *Step) string {
	if s.Keeper == nil {
		return ""
	}
	keeper := s.Keeper.Shown
	if keeper == "" {
		keeper = string(s.Keeper.Path)
	}
	switch p.Options.By {
	case ByLinks:
		return "becomes another name of " + keeper
	case ByShared:
		return "shares its content with " + keeper
	}
	return c.remove.does(p, s) + "; " + keeper + " stays"
}

func (c clearing) do(t *task) error {
	switch t.plan.Options.By {
	case ByLinks:
		return t.becomeLink()
	case ByShared:
		return t.becomeShared()
	}
	return c.remove.do(t)
}

// Why a spare is not removed.
var (
	errNoKeeper   = errors.New("what was to stay no longer exists")
	errKeeper     = errors.New("what was to stay has changed")
	errSameFile   = errors.New("it is another name of the file that stays; removing it frees nothing")
	errNoSpare    = errors.New("nothing says what stays of it")
	errKeeperGoes = errors.New("what is to stay is itself to be removed, or lies in what is")
	errNotSpare   = errors.New("its content is not that of what stays")
	errOnlyFiles  = errors.New("only files can be cleared so")
	errOtherDisk  = errors.New("it is on another disk than the file that stays")
	errOtherOwner = errors.New("it has another owner, group, permissions or attributes than the file that stays, and as one file they would have the same")
	errNoExchange = errors.New("this file system cannot do that without a moment at which the file is missing")
	errNoShare    = errors.New("this file system cannot have files share their content")
	errLocked     = errors.New("another program has locked it, or what stays")
	errSharing    = errors.New("there is nothing to take back: what is in the files was not altered")
)

// check returns an error unless what is there is what was to stay, and another one than
// the spare, of which it tells inode and device.
func (k *Keeper) check(st *sys.Status, kind string, inode, device uint64) error {
	switch {
	case st.Inode == inode && st.Device == device:
		return errSameFile
	case st.Inode != k.Inode || st.Kind.String() != kind:
		return errKeeper
	case st.Kind == entry.KindFile && (st.Size != k.Size || st.Modified != entry.Time(k.Modified) || st.Changed != entry.Time(k.Changed)):
		return errKeeper
	}
	return nil
}

// refuseCircles refuses steps of which what stays is removed by another one.
func (p *Plan) refuseCircles() {
	goes := map[exact.Text]bool{}
	for _, s := range p.Steps {
		if s.Keeper != nil && s.Refused == "" {
			goes[s.Path] = true
		}
	}
	if p.Options.By == ByShared || len(goes) == 0 {
		return
	}
	for _, s := range p.Steps {
		if s.Keeper == nil || s.Refused != "" {
			continue
		}
		for at := string(s.Keeper.Path); at != "/" && at != "."; at = path.Dir(at) {
			if goes[exact.Text(at)] {
				s.Refused = exact.Text(errKeeperGoes.Error())
				break
			}
		}
	}
}

// links makes sure that a spare can become another name of the file that stays without
// anybody being able to do more, or less.
func (p *planning) links(s *Step, stays *sys.Status) error {
	at, name, err := p.sources.at(string(s.Path))
	if err != nil {
		return err
	}
	st, err := p.calls.Status(at, name)
	if err != nil {
		return err
	}
	if st.Device != stays.Device || st.Mount != stays.Mount {
		return errOtherDisk
	}
	keeperAt, keeperName, err := p.keepersIn.at(string(s.Keeper.Path))
	if err != nil {
		return err
	}
	alike, err := sameRights(p.calls, spot{at, name}, &st, spot{keeperAt, keeperName}, stays)
	if err != nil {
		return err
	}
	if !alike {
		return errOtherOwner
	}
	if st.Modified != stays.Modified {
		s.addNote("it will have the times of the file that stays")
	}
	if st.Links > 1 {
		l := p.linked[nodeOf(&st)]
		if l == nil {
			l = &linked{names: names{all: st.Links}}
			p.linked[nodeOf(&st)] = l
		}
		l.met++
		l.steps = append(l.steps, s)
	}
	return nil
}

// sameRights reports whether two files have the same owner, permissions, attributes and
// flags.
func sameRights(calls *sys.Calls, one spot, st *sys.Status, other spot, otherSt *sys.Status) (bool, error) {
	if st.UID != otherSt.UID || st.GID != otherSt.GID || st.Permissions != otherSt.Permissions {
		return false, nil
	}
	a, err := calls.Attributes(one.at, one.name)
	if err != nil {
		return false, err
	}
	b, err := calls.Attributes(other.at, other.name)
	if err != nil || !maps.Equal(a, b) || st.Kind != entry.KindFile && st.Kind != entry.KindFolder {
		return err == nil && maps.Equal(a, b), err
	}
	flags, err := flagsAt(calls, one)
	if err != nil {
		return false, err
	}
	others, err := flagsAt(calls, other)
	return flags == others, err
}

// flagsAt returns the flags of a file or folder, as far as they are not about how its file
// system keeps it.
func flagsAt(calls *sys.Calls, at spot) (uint32, error) {
	fd, err := calls.OpenFile(at.at, at.name)
	if err != nil {
		return 0, err
	}
	defer calls.Close(fd)
	flags, err := calls.Flags(fd)
	return flags &^ sys.FlagsKeeping, ignoreNone(err)
}

// becomeLink has a spare become another name of the file that stays. Both names are there
// at every moment.
func (t *task) becomeLink() error {
	p, err := t.pair()
	if err != nil {
		return err
	}
	defer t.closePair(&p)
	alike, err := sameRights(t.Calls, t.from, &t.st, spot{p.keeperAt, p.keeperName}, &p.keeper)
	switch {
	case err != nil:
		return err
	case !alike:
		return errOtherOwner
	}
	if err := t.same(&p); err != nil {
		return err
	}
	if err := t.begin(event{}); err != nil {
		return err
	}
	under := t.journal.under(t.number)
	if err := t.Calls.NameAgain(p.keeperAt, p.keeperName, t.from.at, under); err != nil {
		if errors.Is(err, unix.EXDEV) {
			err = errOtherDisk
		}
		return err
	}
	if err := t.swap(under, &p); err != nil {
		if isPartly(err) { // and what is beside it is the spare
			return err
		}
		if left := t.surveyor().unlinkLink(t.from.at, under, nodeOf(&p.keeper)); left != nil && !gone(left) {
			err = errors.Join(err, left)
		}
		return err
	}
	if after, err := t.Calls.Status(t.from.at, t.from.name); err == nil {
		t.own[nodeOf(&p.keeper)] = ownChange{t.own.before(&p.keeper), after}
	}
	return nil
}

// swap has the name of the spare become one of the file that stays, which has the name
// under beside it, and removes the spare.
func (t *task) swap(under string, p *pair) error {
	linked, err := t.Calls.Status(t.from.at, under)
	if err != nil {
		return err
	}
	if nodeOf(&linked) != nodeOf(&p.keeper) || linked.Size != p.keeper.Size || linked.Modified != p.keeper.Modified {
		return errKeeper
	}
	if err := t.Calls.Exchange(t.from.at, under, t.from.at, t.from.name); err != nil {
		if errors.Is(err, sys.ErrNotSupported) {
			err = errNoExchange
		}
		return err
	}
	spare, err := t.Calls.Status(t.from.at, under)
	if err == nil && !alike(&t.st, &spare) {
		err = errChanged
	}
	if err == nil {
		err = t.surveyor().unlink(t.from.at, under, &t.st)
	}
	if err != nil { // back to how it was
		if back := t.Calls.Exchange(t.from.at, under, t.from.at, t.from.name); back != nil {
			return &partly{0, 1, fmt.Errorf("%w; it is %s now: %w", err, under, back)}
		}
	}
	return err
}

// shares makes sure that the file system can have two files share their content.
func (p *planning) shares(s *Step) error {
	at, name, err := p.sources.at(string(s.Path))
	if err != nil {
		return err
	}
	keeperAt, keeperName, err := p.keepersIn.at(string(s.Keeper.Path))
	if err != nil {
		return err
	}
	if p.sources.mount().device != p.keepersIn.mount().device {
		return errOtherDisk
	}
	fd, err := p.calls.OpenFile(at, name)
	if err != nil {
		return err
	}
	defer p.calls.Close(fd)
	keeperFD, err := p.calls.OpenFile(keeperAt, keeperName)
	if err != nil {
		return err
	}
	defer p.calls.Close(keeperFD)
	return shareTrouble(p.calls.Share(keeperFD, fd, 0))
}

func shareTrouble(err error) error {
	switch {
	case errors.Is(err, sys.ErrNotSupported):
		return errNoShare
	case errors.Is(err, sys.ErrDiffers):
		return errNotSpare
	}
	return err
}

// becomeShared has a spare share its content with the file that stays. The system compares
// them itself while nobody can write to either.
func (t *task) becomeShared() error {
	p, err := t.pair()
	if err != nil {
		return err
	}
	defer t.closePair(&p)
	if err := t.begin(event{}); err != nil {
		return err
	}
	return shareTrouble(t.Calls.Share(p.keeperFD, p.spareFD, t.st.Size))
}

func (c clearing) undo(u *undoing, s *PastStep) (acted bool, err error) {
	switch u.past.Options.By {
	case ByLinks:
		return u.unlink(s)
	case ByShared:
		return false, errSharing
	}
	return c.remove.undo(u, s)
}

func (c clearing) look(u *undoing, s *PastStep) State {
	switch u.past.Options.By {
	case ByLinks:
		st, err := u.from.status(string(s.Path))
		switch {
		case err != nil:
			return Begun
		case u.isIt(s, &st, &u.from):
			return NotBegun
		case s.Keeper != nil && st.Inode == s.Keeper.Inode:
			return Done
		}
		return Begun
	case ByShared:
		_, _, _, done, err := u.still(s)
		defer done()
		if err != nil {
			return Begun
		}
		return Done
	}
	return c.remove.look(u, s)
}

// unlink has what became another name of the file that stays be a file of its own again,
// with the times that it had.
func (u *undoing) unlink(s *PastStep) (acted bool, err error) {
	at, name, err := u.from.at(string(s.Path))
	if err != nil {
		return false, err
	}
	st, err := u.Calls.Status(at, name)
	switch {
	case gone(err):
		return false, errMovedOn
	case err != nil:
		return false, err
	}
	under := u.past.under(s.Number)
	beside, err := u.Calls.Status(at, under)
	if err != nil && !gone(err) {
		return false, err
	}
	there := err == nil
	isKeeper := func(st *sys.Status) bool { return s.Keeper != nil && st.Inode == s.Keeper.Inode }
	switch {
	case u.isIt(s, &st, &u.from): // it was never done, or is taken back already
		if there && isKeeper(&beside) {
			err = u.surveyor().unlinkLink(at, under, nodeOf(&beside))
		} else if there {
			err = errNotOurs
		}
		return s.State == Done, ignoreGone(err)
	case !isKeeper(&st) || st.Size != s.Keeper.Size:
		return false, errMovedOn
	case there && u.isIt(s, &beside, &u.from) && isPlausible(s, &beside): // broken off before it was removed
		if err := u.Calls.Exchange(at, under, at, name); err != nil {
			return false, err
		}
		return true, u.surveyor().unlinkLink(at, under, nodeOf(&st))
	case st.Modified != entry.Time(s.Keeper.Modified) || st.Links < 2:
		return false, errSince
	case there && isKeeper(&beside):
		err = u.surveyor().unlinkLink(at, under, nodeOf(&beside))
	case there: // a copy that was being made
		err = u.surveyor().discardBegun(u.ctx, at, under, spot{at, name})
	default:
		err = nil
	}
	if err != nil {
		return false, err
	}
	return u.apart(s, spot{at, name}, under)
}

// apart makes a copy of a file of several names in the place of one of them; or gives that
// to the copy that there is, if the spare had several names, too.
func (u *undoing) apart(s *PastStep, from spot, under string) (acted bool, err error) {
	c := &copier{surveyor: u.surveyor()}
	joined, err := u.joinSpares(s, from, under)
	if err == nil && !joined {
		if err = c.copy(u.ctx, from.at, from.name, from.at, under, nil); err == nil {
			err = u.Calls.SetTimes(from.at, under, entry.Time(s.Modified), entry.Time(s.Accessed))
		}
	}
	var made sys.Status
	if err == nil {
		made, err = u.Calls.Status(from.at, under)
	}
	if err == nil {
		err = u.noteBack(s, &made, u.volumes.named(u.Calls, &u.from, &made))
	}
	if err == nil {
		err = u.Calls.Exchange(from.at, under, from.at, from.name)
	}
	discard := func(err error) error {
		if joined {
			return errors.Join(err, u.surveyor().unlinkLink(from.at, under, nodeOf(&made)))
		}
		if len(c.made) > 0 {
			c.made[0].done = doneOf(&made) // it has got its times since
		}
		return c.discardMadeAfter(err, from.at, under, from)
	}
	if err != nil {
		return false, discard(err)
	}
	u.notes = c.lost.String()
	// Under the other name is one of the file that stays now: nothing else would have
	// more than one.
	other, err := u.Calls.Status(from.at, under)
	if err == nil && (other.Inode != s.Keeper.Inode || other.Links < 2) {
		if err := u.Calls.Exchange(from.at, under, from.at, from.name); err != nil {
			return false, err
		}
		return false, discard(errMovedOn)
	}
	if err == nil {
		err = u.surveyor().unlinkLink(from.at, under, nodeOf(&other))
	}
	if err == nil {
		u.noteApart(s)
	}
	return true, err
}

// joinSpares gives the spare that another step of the same file has got back one more name,
// if there is one.
func (u *undoing) joinSpares(s *PastStep, at spot, under string) (joined bool, err error) {
	for _, other := range u.past.sameFile(s) {
		f := newFolders(u.Calls)
		otherAt, name, err := f.at(string(other.Path))
		var st sys.Status
		if err == nil {
			st, err = u.Calls.Status(otherAt, name)
		}
		joined := err == nil && u.isIt(other, &st, &f) && st.Size == s.Size && st.Modified == entry.Time(s.Modified)
		if joined {
			err = u.surveyor().link(&copied{st: st}, otherAt, name, at.at, under)
		}
		f.close()
		if joined || err != nil && !gone(err) {
			return err == nil, err
		}
	}
	return false, nil
}

// sameFile returns the other steps about the same file.
func (p *Past) sameFile(s *PastStep) (others []*PastStep) {
	if p.files == nil {
		p.files = map[entry.Node][]*PastStep{}
		for _, one := range p.Steps {
			node := entry.Node{Device: one.Device, Inode: one.Inode}
			p.files[node] = append(p.files[node], one)
		}
	}
	for _, one := range p.files[entry.Node{Device: s.Device, Inode: s.Inode}] {
		if one != s {
			others = append(others, one)
		}
	}
	return others
}

func ignoreGone(err error) error {
	if gone(err) {
		return nil
	}
	return err
}
