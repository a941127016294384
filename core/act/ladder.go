package act

import (
	"errors"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// ladder is an open folder in an open folder in an open folder, each opened by its
// name in the one above and never by a link. However deep it gets, only some of
// them stay open: the others are opened anew when they are wanted, by the way down
// from the nearest one that is, and it is made sure that they are the same.
type ladder struct {
	calls *sys.Calls
	rungs []rung
	open  int
	most  int // that may be
	// mounts says whether to go on where another mount begins.
	mounts bool
}

type rung struct {
	name  string
	fd    int // -1 if it is closed
	node  entry.Node
	mount uint64
}

// node tells one entry from every other, while the program runs.
func nodeOf(st *sys.Status) entry.Node { return entry.Node{Device: st.Device, Inode: st.Inode} }

// mostOpen returns how many folders of one ladder stay open: of what the system
// allows, a part that leaves enough for several ladders and the rest of the program.
func mostOpen() int {
	const most, least, ladders = 40, 4, 12
	var limit unix.Rlimit
	if err := unix.Getrlimit(unix.RLIMIT_NOFILE, &limit); err == nil && limit.Cur < ladders*most {
		return max(least, int(limit.Cur)/ladders)
	}
	return most
}

// reset begins a ladder at an open folder, which it closes in the end.
func (l *ladder) reset(fd int) error {
	l.close()
	l.most = mostOpen()
	st, err := l.calls.Status(fd, "")
	if err != nil {
		l.calls.Close(fd)
		return err
	}
	l.rungs, l.open = append(l.rungs, rung{fd: fd, node: nodeOf(&st), mount: st.Mount}), 1
	return nil
}

// depth is how many folders there are below the first one.
func (l *ladder) depth() int { return len(l.rungs) - 1 }

// down opens a folder in the last one, and makes it the last.
func (l *ladder) down(name string) error {
	at, err := l.fd()
	if err != nil {
		return err
	}
	next, err := l.enter(at, name)
	if err != nil {
		return err
	}
	if above := &l.rungs[len(l.rungs)-1]; !l.mounts && next.mount != above.mount {
		l.calls.Close(next.fd)
		return errMountInside
	}
	l.rungs = append(l.rungs, next)
	l.open++
	l.spare()
	return nil
}

// enter opens a folder.
func (l *ladder) enter(at int, name string) (r rung, err error) {
	if name == "" || name == "." || name == ".." {
		return r, errDots
	}
	fd, err := l.calls.OpenFolder(at, name)
	if errors.Is(err, unix.ELOOP) || errors.Is(err, unix.ENOTDIR) {
		if st, look := l.calls.Status(at, name); look == nil && st.Kind != entry.KindLink && st.Kind != entry.KindFolder {
			return r, errNoFolderNow
		}
		err = errLink
	}
	if err != nil {
		return r, err
	}
	st, err := l.calls.Status(fd, "")
	if err != nil {
		l.calls.Close(fd)
		return r, err
	}
	return rung{name, fd, nodeOf(&st), st.Mount}, nil
}

// up leaves the last folder.
func (l *ladder) up() {
	last := &l.rungs[len(l.rungs)-1]
	if last.fd >= 0 {
		l.calls.Close(last.fd)
		l.open--
	}
	l.rungs = l.rungs[:len(l.rungs)-1]
}

// fd returns the last folder, opened.
func (l *ladder) fd() (int, error) {
	last := len(l.rungs) - 1
	if fd := l.rungs[last].fd; fd >= 0 {
		return fd, nil
	}
	from := last
	for l.rungs[from].fd < 0 {
		from--
	}
	at, passing := l.rungs[from].fd, false
	for i := from + 1; i <= last; i++ {
		next, err := l.enter(at, l.rungs[i].name)
		if passing {
			l.calls.Close(at)
		}
		if err == nil && (next.node != l.rungs[i].node || next.mount != l.rungs[i].mount) {
			l.calls.Close(next.fd)
			err = errMovedAway
		}
		if err != nil {
			return -1, err
		}
		at, passing = next.fd, true
		if i == last || i == last-(last-from)/2 { // one half-way, for those that come after
			l.rungs[i].fd, passing = at, false
			l.open++
		}
	}
	l.spare()
	return l.rungs[last].fd, nil
}

// spare closes every other one of those in between, if too many are open.
func (l *ladder) spare() {
	if l.open <= l.most {
		return
	}
	keep := true
	for i := 1; i < len(l.rungs)-2; i++ {
		r := &l.rungs[i]
		if r.fd < 0 {
			continue
		}
		if keep = !keep; !keep {
			l.calls.Close(r.fd)
			r.fd = -1
			l.open--
		}
	}
}

func (l *ladder) close() {
	for len(l.rungs) > 0 {
		l.up()
	}
}
