package act

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"path"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/exact"
)

// Trash is where removed things go: the trash can of the freedesktop.org Trash
// specification 1.0. What lies on the disk of the home folder goes into the trash
// there, other things into one at the top of their own disk.
type Trash struct {
	Home string // full path of the trash in the home folder
	User int
}

// can is a trash can: folders files and info, and what paths in it start from.
type can struct{ path, top string }

var errNoTrash = errors.New("there can be no trash on this disk; --for-good removes without")

// canFor finds the trash can for something on a device, and makes it if it is
// not there.
func (t Trash) canFor(full string, device uint64) (c can, err error) {
	if err := os.MkdirAll(t.Home, 0o700); err == nil {
		if at, err := deviceOf(t.Home); err == nil && at == device {
			return can{path: t.Home}, makeCan(t.Home)
		}
	}
	top := path.Dir(full)
	for above := path.Dir(top); ; above = path.Dir(top) {
		at, err := deviceOf(above)
		if err != nil || at != device || top == "/" {
			break
		}
		top = above
	}
	shared := path.Join(top, ".Trash")
	if info, err := os.Lstat(shared); err == nil && info.IsDir() && info.Mode()&os.ModeSticky != 0 {
		own := path.Join(shared, fmt.Sprint(t.User))
		if err := makeCan(own); err == nil {
			return can{own, top}, nil
		}
	}
	own := path.Join(top, fmt.Sprint(".Trash-", t.User))
	if err := makeCan(own); err != nil {
		return c, fmt.Errorf("%w (%w)", errNoTrash, err)
	}
	return can{own, top}, nil
}

func deviceOf(full string) (uint64, error) {
	var st unix.Stat_t
	_, err := retry(func() (int, error) { return 0, unix.Stat(full, &st) })
	return uint64(st.Dev), err
}

// makeCan makes a trash can, of which no part may be a link.
func makeCan(full string) error {
	for _, dir := range []string{full, path.Join(full, "files"), path.Join(full, "info")} {
		if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
			return err
		}
		if info, err := os.Lstat(dir); err != nil || !info.IsDir() {
			return cmpErr(err, unix.ENOTDIR)
		}
	}
	return nil
}

func cmpErr(err, otherwise error) error {
	if err == nil {
		return otherwise
	}
	return err
}

// reserve takes a free name in the trash can, by writing down what is to go under
// it and from where.
func (c can) reserve(full string, now time.Time) (file, info string, err error) {
	from := full
	if c.top != "" {
		from = strings.TrimPrefix(full, strings.TrimSuffix(c.top, "/")+"/")
	}
	text := "[Trash Info]\nPath=" + (&url.URL{Path: from}).EscapedPath() + "\nDeletionDate=" + now.Format("2006-01-02T15:04:05") + "\n"
	stem, ext := entry.SplitName(path.Base(full))
	if ext != "" {
		ext = "." + ext
	}
	for n := 1; ; n++ {
		name := stem + ext
		if n > 1 {
			name = fmt.Sprintf("%s-%d%s", stem, n, ext)
		}
		info = path.Join(c.path, "info", name+".trashinfo")
		out, err := os.OpenFile(info, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if errors.Is(err, os.ErrExist) && n < 1_000_000 {
			continue
		}
		if err != nil {
			return "", "", err
		}
		_, err = out.WriteString(text)
		if closing := out.Close(); err == nil {
			err = closing
		}
		return path.Join(c.path, "files", name), info, err
	}
}

// discard moves an entry into the trash.
func (c *carrying) discard(s *Step, n, fd int, name string) (to string, trouble, err error) {
	can, trouble := c.Trash.canFor(string(s.Path), s.Device)
	if trouble != nil {
		return "", trouble, nil
	}
	to, info, trouble := can.reserve(string(s.Path), c.Now())
	if trouble != nil {
		return "", trouble, nil
	}
	if err := c.journal.begun(event{Begin: n, To: exact.Text(to), Info: exact.Text(info)}); err != nil {
		os.Remove(info)
		return "", nil, err
	}
	toFd, newName, trouble := c.to.at(to)
	if trouble == nil {
		trouble = rename(fd, name, toFd, newName)
	}
	if trouble != nil {
		os.Remove(info)
		return "", trouble, nil
	}
	if s.Kind == entry.KindFolder.String() {
		c.from.close()
	}
	c.journal.done(n)
	return to, nil, nil
}

// removeAll removes an entry, and all that is in it.
func removeAll(fd int, name string) error {
	err := unlink(fd, name, 0)
	if !errors.Is(err, unix.EISDIR) && !errors.Is(err, unix.EPERM) { // systems differ in which
		return err
	}
	st, looking := status(fd, name, false)
	if looking != nil || entry.KindOfMode(uint32(st.Mode)) != entry.KindFolder {
		return err
	}
	names, dir, err := namesIn(fd, name)
	if err != nil {
		return err
	}
	defer dir.Close()
	for _, below := range names {
		if err := removeAll(int(dir.Fd()), below); err != nil {
			return fmt.Errorf("%s: %w", below, err)
		}
	}
	return unlink(fd, name, unix.AT_REMOVEDIR)
}

func unlink(fd int, name string, flags int) error {
	_, err := retry(func() (int, error) { return 0, unix.Unlinkat(fd, name, flags) })
	return err
}

// namesIn opens a folder and returns the names in it.
func namesIn(fd int, name string) ([]string, *os.File, error) {
	in, err := retry(func() (int, error) {
		return unix.Openat(fd, name, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0)
	})
	if err != nil {
		return nil, nil, err
	}
	dir := os.NewFile(uintptr(in), name)
	names, err := dir.Readdirnames(-1)
	if err != nil {
		dir.Close()
		return nil, nil, err
	}
	return names, dir, nil
}
