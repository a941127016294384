package openat

import (
	"errors"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// HandleStack is an open folder in an open folder in an open folder, each opened by its
// name in the one above and never by a link. However deep it gets, only some of
// them stay open: the others are opened anew when they are wanted, by their path from one that is open
// from the nearest one that is, and it is made sure that they are the same.
type HandleStack struct {
	Calls *sys.Calls
	Held  []handle
	open  int
	most  int // that may be
	// Mounts says whether to go on where another mount begins.
	Mounts bool
}

type handle struct {
	Name  string
	fd    int // -1 if it is closed
	Node  entry.Node
	mount uint64
}

// NodeOf identifies an entry while the program runs.
func NodeOf(st *sys.Status) entry.Node { return entry.Node{Device: st.Device, Inode: st.Inode} }

// mostOpen returns how many folders of one stack stay open: of what the system
// allows, a part that leaves enough for several stacks and the rest of the program.
func mostOpen() int {
	const most, least, stacks = 40, 4, 12
	var limit unix.Rlimit
	if err := unix.Getrlimit(unix.RLIMIT_NOFILE, &limit); err == nil && limit.Cur < stacks*most {
		return max(least, int(limit.Cur)/stacks)
	}
	return most
}

// Reset begins a stack at an open folder, which it closes in the end.
func (l *HandleStack) Reset(fd int) error {
	l.Close()
	l.most = mostOpen()
	st, err := l.Calls.Status(fd, "")
	if err != nil {
		l.Calls.Close(fd)
		return err
	}
	l.Held, l.open = append(l.Held, handle{fd: fd, Node: NodeOf(&st), mount: st.Mount}), 1
	return nil
}

// depth is how many folders there are below the first one.
func (l *HandleStack) depth() int { return len(l.Held) - 1 }

// Down opens a folder in the last one, and makes it the last.
func (l *HandleStack) Down(name string) error {
	at, err := l.Fd()
	if err != nil {
		return err
	}
	next, err := l.enter(at, name)
	if err != nil {
		return err
	}
	if above := &l.Held[len(l.Held)-1]; !l.Mounts && next.mount != above.mount {
		l.Calls.Close(next.fd)
		return ErrMountInside
	}
	l.Held = append(l.Held, next)
	l.open++
	l.spare()
	return nil
}

// enter opens a folder.
func (l *HandleStack) enter(at int, name string) (r handle, err error) {
	if name == "" || name == "." || name == ".." {
		return r, errDots
	}
	fd, err := l.Calls.OpenFolder(at, name)
	if errors.Is(err, unix.ELOOP) || errors.Is(err, unix.ENOTDIR) {
		if st, look := l.Calls.Status(at, name); look == nil && st.Kind != entry.KindLink && st.Kind != entry.KindFolder {
			return r, ErrNoFolderNow
		}
		err = ErrLink
	}
	if err != nil {
		return r, err
	}
	st, err := l.Calls.Status(fd, "")
	if err != nil {
		l.Calls.Close(fd)
		return r, err
	}
	return handle{name, fd, NodeOf(&st), st.Mount}, nil
}

// Up leaves the last folder.
func (l *HandleStack) Up() {
	last := &l.Held[len(l.Held)-1]
	if last.fd >= 0 {
		l.Calls.Close(last.fd)
		l.open--
	}
	l.Held = l.Held[:len(l.Held)-1]
}

// Fd returns the last folder, opened.
func (l *HandleStack) Fd() (int, error) {
	last := len(l.Held) - 1
	if fd := l.Held[last].fd; fd >= 0 {
		return fd, nil
	}
	from := last
	for l.Held[from].fd < 0 {
		from--
	}
	at, passing := l.Held[from].fd, false
	for i := from + 1; i <= last; i++ {
		next, err := l.enter(at, l.Held[i].Name)
		if passing {
			l.Calls.Close(at)
		}
		if err == nil && (next.Node != l.Held[i].Node || next.mount != l.Held[i].mount) {
			l.Calls.Close(next.fd)
			err = errMovedAway
		}
		if err != nil {
			return -1, err
		}
		at, passing = next.fd, true
		if i == last || i == last-(last-from)/2 { // one half-way, for those that come after
			l.Held[i].fd, passing = at, false
			l.open++
		}
	}
	l.spare()
	return l.Held[last].fd, nil
}

// spare closes every other one of those in between, if too many are open.
func (l *HandleStack) spare() {
	if l.open <= l.most {
		return
	}
	keep := true
	for i := 1; i < len(l.Held)-2; i++ {
		r := &l.Held[i]
		if r.fd < 0 {
			continue
		}
		if keep = !keep; !keep {
			l.Calls.Close(r.fd)
			r.fd = -1
			l.open--
		}
	}
}

func (l *HandleStack) Close() {
	for len(l.Held) > 0 {
		l.Up()
	}
}
