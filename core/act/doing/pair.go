package doing

import (
	"errors"

	"golang.org/x/sys/unix"

	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

var errLocked = errors.New("another program has locked it, or the file that stays")

// Pair is a spare and what stays of it.
type Pair struct {
	KeeperAt   int
	KeeperName string
	Keeper     sys.Status
	// Open, and locked until they are closed.
	SpareFD, KeeperFD int
}

// Pair finds what stays of the entry of the step, makes sure that it is what it was, and
// opens both.
func (t *Task) Pair() (p Pair, err error) {
	k := t.Step.Keeper
	p.SpareFD, p.KeeperFD = -1, -1
	if p.KeeperAt, p.KeeperName, err = t.Keepers.At(string(k.Path)); err == nil {
		p.Keeper, err = t.Calls.Status(p.KeeperAt, p.KeeperName)
	}
	if err != nil {
		if openat.Gone(err) || errors.Is(err, unix.ENOTDIR) {
			err = plans.ErrNoKeeper
		}
		return p, err
	}
	shown := t.Own.Before(&p.Keeper)
	if err := k.Check(&shown, t.Step.Kind, t.Status.Inode, t.Status.Device); err != nil {
		return p, err
	}
	// Somebody else may clear them the other way round, just now: then neither is removed.
	if p.SpareFD, err = t.openAs(t.From.At, t.From.Name, &t.Status, openat.ErrChanged); err == nil {
		err = t.Calls.Lock(p.SpareFD, true)
	}
	if err == nil {
		p.KeeperFD, err = t.openAs(p.KeeperAt, p.KeeperName, &p.Keeper, plans.ErrKeeper)
	}
	if err == nil {
		err = t.Calls.Lock(p.KeeperFD, false)
	}
	if errors.Is(err, sys.ErrLocked) {
		err = errLocked
	}
	if err != nil {
		t.ClosePair(&p)
	}
	return p, err
}

// openAs opens a file, and makes sure that it is the one that was seen.
func (t *Task) openAs(at int, name string, seen *sys.Status, other error) (int, error) {
	fd, err := t.Calls.OpenFile(at, name)
	if err != nil {
		return -1, err
	}
	st, err := t.Calls.Status(fd, "")
	if err == nil && !tree.Unchanged(seen, &st) {
		err = other
	}
	if err != nil {
		t.Calls.Close(fd)
		return -1, err
	}
	return fd, nil
}

func (t *Task) ClosePair(p *Pair) {
	for _, fd := range []*int{&p.SpareFD, &p.KeeperFD} {
		if *fd >= 0 {
			t.Calls.Close(*fd)
		}
		*fd = -1
	}
}

// IsSpare returns an error unless what stays of the entry of the step is there, and has
// all that the entry has, byte by byte. Both are locked until the function that it
// returns is called.
func (t *Task) IsSpare() (done func(), err error) {
	p, err := t.Pair()
	if err != nil {
		return nil, err
	}
	if t.Status.Kind == entry.KindFolder {
		err = t.Surveyor().IsIn(t.Ctx, t.From, t.Survey, openat.Spot{At: p.KeeperAt, Name: p.KeeperName}, t.room(), nil)
	} else {
		err = t.Same(&p)
	}
	if err != nil {
		t.ClosePair(&p)
	}
	return func() { t.ClosePair(&p) }, err
}

// Same compares two open files, and makes sure that neither has changed.
func (t *Task) Same(p *Pair) error {
	same, err := t.Surveyor().SameBytes(t.Ctx, p.SpareFD, p.KeeperFD, t.Status.Size, t.room())
	if err != nil {
		return err
	}
	if !same {
		return tree.ErrNotSpare
	}
	for _, one := range []struct {
		fd     int
		before *sys.Status
		err    error
	}{{p.SpareFD, &t.Status, openat.ErrChanged}, {p.KeeperFD, &p.Keeper, plans.ErrKeeper}} {
		now, err := t.Calls.Status(one.fd, "")
		if err != nil {
			return err
		}
		if !tree.Unchanged(one.before, &now) {
			return one.err
		}
	}
	return nil
}

// room is for what is compared, kept from step to step.
func (c *Carrying) room() []byte {
	if c.compared == nil {
		c.compared = make([]byte, 2*tree.Piece)
	}
	return c.compared
}
