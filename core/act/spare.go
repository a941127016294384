package act

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Before a spare is cleared, it is found out whether it is one still: whether what stays
// is there, and has all that the spare has, byte by byte. Both are locked meanwhile.

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
		err = t.surveyor().isIn(t.ctx, t.from, t.survey, spot{p.keeperAt, p.keeperName}, t.room(), nil)
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
// If it is told which times became others when it was copied, by their ways, all else has
// to be the same, too: times of modification, owners, permissions and attributes.
func (s *surveyor) isIn(ctx context.Context, from spot, v *survey, other spot, room []byte, became map[string]entry.Time) error {
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
		}
		if became != nil {
			shown := there
			if as, other := became[w.wayTo()]; other && st.Modified == as {
				shown.Modified = as
			}
			if err := s.alikeInAll(w, st, otherAt, name, &shown); err != nil {
				return w.inside(err)
			}
		}
		if st.Kind == entry.KindFolder {
			return others.down(name)
		}
		return w.inside(s.isCopy(ctx, w, st, otherAt, name, &there, room))
	}, func(*walk) error { others.up(); return nil })
}

// alikeInAll returns an error unless two entries have the same time of modification, owner,
// permissions and attributes.
func (s *surveyor) alikeInAll(w *walk, st *sys.Status, at int, name string, there *sys.Status) error {
	if st.Modified != there.Modified {
		return errNotSpare
	}
	if st.Kind == entry.KindLink {
		if st.UID != there.UID || st.GID != there.GID {
			return errOtherOwner
		}
		return nil
	}
	alike, err := sameRights(s.calls, spot{w.at, w.name}, st, spot{at, name}, there)
	if err == nil && !alike {
		err = errOtherOwner
	}
	return err
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
