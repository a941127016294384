package act

import (
	"errors"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
)

var (
	errLink    = errors.New("a folder on the way to it is a link now")
	errChanged = errors.New("it has changed since the plan was made")
	errGone    = errors.New("it is not there any more")
	errTaken   = errors.New("there is something of that name already")
)

// folders opens folders by their full paths, from the root on, none of them by a
// link: so nothing that is put on the way meanwhile can lead elsewhere. The way
// down to the last one is kept open, as the next one mostly lies near.
type folders struct {
	path string // of the last one
	way  []openFolder
}

type openFolder struct {
	name string
	fd   int
}

// at returns the open folder that a path lies in, and the last name of it. The
// folder is valid until the next call.
func (f *folders) at(full string) (fd int, name string, err error) {
	slash := strings.LastIndexByte(full, '/')
	if slash < 0 || full[0] != '/' {
		return -1, "", unix.EINVAL
	}
	dir, name := full[:max(slash, 1)], full[slash+1:]
	if name == "" || name == "." || name == ".." {
		return -1, "", unix.EINVAL
	}
	if len(f.way) == 0 || f.path != dir {
		if err := f.open(dir); err != nil {
			f.close()
			return -1, "", err
		}
	}
	return f.way[len(f.way)-1].fd, name, nil
}

// open opens a folder, from where the way to it parts from the one that is open.
func (f *folders) open(dir string) error {
	if len(f.way) == 0 {
		fd, err := retry(func() (int, error) { return unix.Open("/", folderFlags, 0) })
		if err != nil {
			return err
		}
		f.way = append(f.way, openFolder{"", fd})
	}
	depth := 1
	for name := range strings.SplitSeq(strings.Trim(dir, "/"), "/") {
		if name == "" {
			continue
		}
		if depth < len(f.way) && f.way[depth].name == name {
			depth++
			continue
		}
		f.closeBelow(depth)
		above := f.way[depth-1].fd
		fd, err := retry(func() (int, error) { return unix.Openat(above, name, folderFlags|unix.O_NOFOLLOW, 0) })
		if errors.Is(err, unix.ELOOP) || errors.Is(err, unix.ENOTDIR) {
			err = errLink
		}
		if err != nil {
			return err
		}
		f.way = append(f.way, openFolder{strings.Clone(name), fd})
		depth++
	}
	f.closeBelow(depth)
	f.path = dir
	return nil
}

// closeBelow closes what is deeper.
func (f *folders) closeBelow(depth int) {
	for _, d := range f.way[min(depth, len(f.way)):] {
		unix.Close(d.fd)
	}
	f.way = f.way[:min(depth, len(f.way))]
}

func (f *folders) close() {
	f.closeBelow(0)
	f.path = ""
}

// retry calls a function again while a signal interrupts it.
func retry(call func() (int, error)) (int, error) {
	for {
		n, err := call()
		if err != unix.EINTR {
			return n, err
		}
	}
}

// status returns what the system says of a name in an open folder.
func status(fd int, name string, follow bool) (st unix.Stat_t, err error) {
	flags := unix.AT_SYMLINK_NOFOLLOW
	if follow {
		flags = 0
	}
	_, err = retry(func() (int, error) { return 0, unix.Fstatat(fd, name, &st, flags) })
	return st, err
}

func timeOf(t unix.Timespec) entry.Time {
	sec, nsec := t.Unix()
	return entry.Time{Sec: sec, Nsec: uint32(nsec)}
}

// isThere returns an error unless what is there is what a step is about.
func (s *Step) isThere(fd int, name string, follow bool) (st unix.Stat_t, err error) {
	if st, err = status(fd, name, follow); err != nil {
		if errors.Is(err, unix.ENOENT) {
			err = errGone
		}
		return st, err
	}
	kind := entry.KindOfMode(uint32(st.Mode))
	switch {
	case uint64(st.Ino) != s.Inode || uint64(st.Dev) != s.Device || kind.String() != s.Kind:
		err = errChanged
	case kind != entry.KindFolder && (timeOf(st.Mtim) != entry.Time(s.Modified) || kind == entry.KindFile && st.Size != s.Size):
		err = errChanged
	}
	return st, err
}

// onOtherDevice tells whether a folder is on another file system than the one it
// lies in.
func onOtherDevice(fd int, name string) bool {
	var above unix.Stat_t
	st, err := status(fd, name, false)
	return err == nil && unix.Fstat(fd, &above) == nil && st.Dev != above.Dev
}
