package act

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path"
	"path/filepath"
	"time"

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

// clearingAlone has only one program of this person clear spares at a time, until the
// function that it returns is called: two that do it the other way round would keep
// nothing.
func (c *Carrier) clearingAlone(ctx context.Context) (done func(), err error) {
	if err := os.MkdirAll(c.Journals.Folder, 0o700); err != nil {
		return nil, err
	}
	file, err := os.OpenFile(filepath.Join(c.Journals.Folder, "clear.lock"), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	for {
		err := unix.Flock(int(file.Fd()), unix.LOCK_EX|unix.LOCK_NB)
		if !errors.Is(err, unix.EWOULDBLOCK) { // some file systems cannot
			return func() { file.Close() }, nil
		}
		select {
		case <-ctx.Done():
			file.Close()
			return nil, ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
}

// pair is a spare and what stays of it.
type pair struct {
	keeperAt   int
	keeperName string
	keeper     sys.Status
	// Open, and locked until they are closed.
	spareFD, keeperFD int
}

// pair finds what stays of the entry of the step, makes sure that it is what it was, and
// opens both.
func (t *task) pair() (p pair, err error) {
	k := t.step.Keeper
	p.spareFD, p.keeperFD = -1, -1
	if p.keeperAt, p.keeperName, err = t.keepers.at(string(k.Path)); err == nil {
		p.keeper, err = t.Calls.Status(p.keeperAt, p.keeperName)
	}
	if err != nil {
		if gone(err) || errors.Is(err, unix.ENOTDIR) {
			err = errNoKeeper
		}
		return p, err
	}
	shown := t.own.before(&p.keeper)
	if err := k.check(&shown, t.step.Kind, t.st.Inode, t.st.Device); err != nil {
		return p, err
	}
	// Somebody else may clear them the other way round, just now: then neither is removed.
	if p.spareFD, err = t.openAs(t.from.at, t.from.name, &t.st, errChanged); err == nil {
		err = t.Calls.Lock(p.spareFD, true)
	}
	if err == nil {
		p.keeperFD, err = t.openAs(p.keeperAt, p.keeperName, &p.keeper, errKeeper)
	}
	if err == nil {
		err = t.Calls.Lock(p.keeperFD, false)
	}
	if errors.Is(err, sys.ErrLocked) {
		err = errLocked
	}
	if err != nil {
		t.closePair(&p)
	}
	return p, err
}

// openAs opens a file, and makes sure that it is the one that was seen.
func (t *task) openAs(at int, name string, seen *sys.Status, other error) (int, error) {
	fd, err := t.Calls.OpenFile(at, name)
	if err != nil {
		return -1, err
	}
	st, err := t.Calls.Status(fd, "")
	if err == nil && !unchanged(seen, &st) {
		err = other
	}
	if err != nil {
		t.Calls.Close(fd)
		return -1, err
	}
	return fd, nil
}

func (t *task) closePair(p *pair) {
	for _, fd := range []*int{&p.spareFD, &p.keeperFD} {
		if *fd >= 0 {
			t.Calls.Close(*fd)
		}
		*fd = -1
	}
}

// isSpare returns an error unless what stays of the entry of the step is there, and has
// all that the entry has, byte by byte. Both are locked until the function that it
// returns is called.
func (t *task) isSpare() (done func(), err error) {
	p, err := t.pair()
	if err != nil {
		return nil, err
	}
	if t.st.Kind == entry.KindFolder {
		err = t.surveyor().isIn(t.ctx, t.from, t.survey, spot{p.keeperAt, p.keeperName}, t.room())
	} else {
		err = t.same(&p)
	}
	if err != nil {
		t.closePair(&p)
	}
	return func() { t.closePair(&p) }, err
}

// same compares two open files, and makes sure that neither has changed.
func (t *task) same(p *pair) error {
	same, err := t.surveyor().sameBytes(t.ctx, p.spareFD, p.keeperFD, t.st.Size, t.room())
	if err != nil {
		return err
	}
	if !same {
		return errNotSpare
	}
	for _, one := range []struct {
		fd     int
		before *sys.Status
		err    error
	}{{p.spareFD, &t.st, errChanged}, {p.keeperFD, &p.keeper, errKeeper}} {
		now, err := t.Calls.Status(one.fd, "")
		if err != nil {
			return err
		}
		if !unchanged(one.before, &now) {
			return one.err
		}
	}
	return nil
}

// room is for what is compared, kept from step to step.
func (c *carrying) room() []byte {
	if c.compared == nil {
		c.compared = make([]byte, 2*piece)
	}
	return c.compared
}

// sameBytes reports whether two open files of some size have the same bytes.
func (s *surveyor) sameBytes(ctx context.Context, one, other int, size int64, room []byte) (bool, error) {
	fill := func(fd int, to []byte) (int, error) {
		done := 0
		for done < len(to) {
			n, err := s.calls.Read(fd, to[done:])
			if err == io.EOF {
				break
			}
			if err != nil {
				return done, err
			}
			done += n
		}
		return done, nil
	}
	for left := size; left > 0; {
		if err := ctx.Err(); err != nil {
			return false, err
		}
		n := int(min(left, int64(len(room)/2)))
		a, b := room[:n], room[len(room)/2:len(room)/2+n]
		if got, err := fill(one, a); err != nil || got < n {
			return false, err
		}
		if got, err := fill(other, b); err != nil || got < n {
			return false, err
		}
		if !bytes.Equal(a, b) {
			return false, nil
		}
		if s.progress != nil {
			s.progress.Read.Add(int64(2 * n))
		}
		left -= int64(n)
	}
	return true, nil
}

// isIn returns an error unless a folder, which was surveyed just now, has nothing but what
// another has too, by the same names: files with the same bytes, links that say the same.
func (s *surveyor) isIn(ctx context.Context, from spot, v *survey, other spot, room []byte) error {
	others := ladder{calls: s.calls}
	defer others.close()
	base, err := s.calls.OpenFolder(other.at, ".")
	if err == nil {
		err = others.reset(base)
	}
	if err != nil {
		return err
	}
	others.mounts = true // on what stays, whatever is mounted there
	next := 0
	var line []byte
	return s.walk(ctx, from.at, from.name, func(w *walk, st *sys.Status) error {
		if w.mounted {
			return w.inside(errMountInside)
		}
		shown := s.own.before(st)
		if line = appendFacts(line[:0], w.below, w.name, &shown); next >= len(v.prints) || v.prints[next] != printOf(line) {
			return w.inside(errChanged)
		}
		next++
		otherAt, err := others.fd()
		if err != nil {
			return err
		}
		name := w.name
		if w.below == 0 {
			name = other.name
		}
		there, err := s.calls.Status(otherAt, name)
		switch {
		case gone(err):
			return w.inside(errNoKeeper)
		case err != nil:
			return w.inside(err)
		case nodeOf(&there) == nodeOf(st) && st.Kind == entry.KindFolder:
			return w.inside(errSameFile)
		case there.Kind != st.Kind || st.Kind == entry.KindFile && there.Size != st.Size:
			return w.inside(errNotSpare)
		case st.Kind == entry.KindFolder:
			return others.down(name)
		}
		return w.inside(s.isCopy(ctx, w, st, otherAt, name, &there, room))
	}, func(*walk) error { others.up(); return nil })
}

// isCopy returns an error unless an entry, which is no folder, is the same as another.
func (s *surveyor) isCopy(ctx context.Context, w *walk, st *sys.Status, at int, name string, there *sys.Status, room []byte) error {
	switch st.Kind {
	case entry.KindLink:
		one, err := s.calls.ReadLink(w.at, w.name)
		if err != nil {
			return err
		}
		other, err := s.calls.ReadLink(at, name)
		if err == nil && one != other {
			err = errNotSpare
		}
		return err
	case entry.KindPipe, entry.KindSocket:
		return nil
	case entry.KindFile:
	default:
		return errNotSpare
	}
	if nodeOf(st) == nodeOf(there) {
		return nil // it stays by its other name
	}
	var fds [2]int
	for i, one := range []struct {
		at    int
		name  string
		st    *sys.Status
		other error
	}{{w.at, w.name, st, errChanged}, {at, name, there, errKeeper}} {
		fd, err := s.calls.OpenFile(one.at, one.name)
		if err != nil {
			return err
		}
		defer s.calls.Close(fd)
		fds[i] = fd
		now, err := s.calls.Status(fd, "")
		if err == nil && !unchanged(one.st, &now) {
			err = one.other
		}
		if err != nil {
			return err
		}
	}
	same, err := s.sameBytes(ctx, fds[0], fds[1], st.Size, room)
	if err == nil && !same {
		err = errNotSpare
	}
	if err != nil {
		return err
	}
	if now, err := s.calls.Status(fds[1], ""); err != nil || !unchanged(there, &now) {
		return errors.Join(err, errKeeper)
	}
	if now, err := s.calls.Status(fds[0], ""); err != nil || !unchanged(st, &now) {
		return errors.Join(err, errChanged)
	}
	return nil
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
	return nil
}

// sameRights reports whether two files have the same owner, permissions and attributes.
func sameRights(calls *sys.Calls, one spot, st *sys.Status, other spot, otherSt *sys.Status) (bool, error) {
	if st.UID != otherSt.UID || st.GID != otherSt.GID || st.Permissions != otherSt.Permissions {
		return false, nil
	}
	a, err := calls.Attributes(one.at, one.name)
	if err != nil {
		return false, err
	}
	b, err := calls.Attributes(other.at, other.name)
	return maps.Equal(a, b), err
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
		if left := t.Calls.Unlink(t.from.at, under); left != nil && !gone(left) {
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
	if err == nil && (nodeOf(&spare) != nodeOf(&t.st) || spare.Size != t.st.Size || spare.Modified != t.st.Modified) {
		err = errChanged
	}
	if err == nil {
		err = t.Calls.Unlink(t.from.at, under)
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
		case u.isIt(s, &st):
			return NotBegun
		case s.Keeper != nil && st.Inode == s.Keeper.Inode:
			return Done
		}
		return Begun
	case ByShared:
		if _, _, _, err := u.still(s); err != nil {
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
	keeper := s.Keeper != nil && st.Inode == s.Keeper.Inode && st.Size == s.Keeper.Size
	switch {
	case u.isIt(s, &st): // it was never done, or is taken back already
		if there && s.Keeper != nil && beside.Inode == s.Keeper.Inode && beside.Links > 1 {
			err = u.Calls.Unlink(at, under)
		}
		return s.State == Done, ignoreGone(err)
	case !keeper:
		return false, errMovedOn
	case there && u.isIt(s, &beside) && beside.Size == s.Size && beside.Modified == entry.Time(s.Modified): // broken off before it was removed
		if err := u.Calls.Exchange(at, under, at, name); err != nil {
			return false, err
		}
		return true, u.Calls.Unlink(at, under)
	case st.Modified != entry.Time(s.Keeper.Modified) || st.Links < 2:
		return false, errSince
	}
	if there {
		if err := u.surveyor().discardOwn(at, under); err != nil {
			return false, err
		}
	}
	return u.apart(s, spot{at, name}, under)
}

// apart makes a copy of a file of several names in the place of one of them.
func (u *undoing) apart(s *PastStep, from spot, under string) (acted bool, err error) {
	c := &copier{surveyor: u.surveyor()}
	err = c.copy(u.ctx, from.at, from.name, from.at, under, nil)
	if err == nil {
		err = u.Calls.SetTimes(from.at, under, entry.Time(s.Modified), entry.Time(s.Accessed))
	}
	var made sys.Status
	if err == nil {
		made, err = u.Calls.Status(from.at, under)
	}
	if err == nil {
		u.journal.note(event{Back: s.Number, Inode: made.Inode, Device: made.Device, Volume: u.volumes.named(u.Calls, &u.from, &made)})
		err = u.journal.sync()
	}
	if err == nil {
		err = u.Calls.Exchange(from.at, under, from.at, from.name)
	}
	if err != nil {
		return false, c.discardAfter(err, from.at, under)
	}
	u.notes = c.lost.String()
	// Under the other name is one of the file that stays now: nothing else would have
	// more than one.
	other, err := u.Calls.Status(from.at, under)
	if err == nil && (other.Inode != s.Keeper.Inode || other.Links < 2) {
		if err := u.Calls.Exchange(from.at, under, from.at, from.name); err != nil {
			return false, err
		}
		return false, c.discardAfter(errMovedOn, from.at, under)
	}
	if err == nil {
		err = u.Calls.Unlink(from.at, under)
	}
	return true, err
}

func ignoreGone(err error) error {
	if gone(err) {
		return nil
	}
	return err
}
