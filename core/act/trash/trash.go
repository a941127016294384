package trash

import (
	"errors"
	"fmt"
	"net/url"
	"path"
	"path/filepath"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/sys/unix"

	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Trash is where removed things go: the trash can of the freedesktop.org Trash
// specification 1.0. What lies in the mount of the home folder's trash goes there,
// other things into one at the top of their own mount.
type Trash struct {
	Home string // full path of the trash in the home folder
	User int
}

// directory is a trash can: folders files and info, and what paths in it start from.
type directory struct {
	Path, top string
	home      bool
	names     int // how long a name may be
}

var (
	ErrNoTrash  = errors.New("this disk cannot have a trash; --for-good removes without it")
	ErrHasTrash = errors.New("the trash is in it")
)

// Directories finds trash cans, one for each mount.
type Directories struct {
	Trash
	folders *openat.Folders
	found   map[openat.MountOf]foundCan
	next    map[string]int // the number to try for the next of a name
	dry     bool           // none is made
}

type foundCan struct {
	can directory
	err error
}

// NewDirectories returns the trash directories that are found by folders; where it is dry, none is made.
func NewDirectories(t Trash, f *openat.Folders, dry bool) *Directories {
	return &Directories{Trash: t, folders: f, found: map[openat.MountOf]foundCan{}, next: map[string]int{}, dry: dry}
}

// ForEntry finds the trash can for an entry whose folder is in a mount, and makes
// it if it is not there.
func (t *Directories) ForEntry(full string, at openat.MountOf) (directory, error) {
	if known, is := t.found[at]; is && (known.err != nil || t.dry || t.stillThere(known.can)) {
		return known.can, known.err
	}
	c, err := t.find(full, at)
	if err == nil || errors.Is(err, ErrNoTrash) { // any other error may be over with the next step
		t.found[at] = foundCan{c, err}
	}
	return c, err
}

func (t *Directories) stillThere(c directory) bool {
	_, err := t.folders.Status(path.Join(c.Path, "info"))
	return err == nil
}

func (t *Directories) find(full string, at openat.MountOf) (c directory, err error) {
	home, err := t.home()
	if err != nil {
		return c, err
	}
	if home != "" {
		if c, ok, err := t.sound(home, "", at, true); ok || err != nil {
			return c, err
		}
	}
	top := path.Dir(full)
	for top != "/" {
		above, err := t.statusOf(path.Dir(top))
		if err != nil {
			return c, err
		}
		if above.Mount != at.Mount || above.Device != at.Device {
			break
		}
		top = path.Dir(top)
	}
	shared := path.Join(top, ".Trash")
	if st, err := t.folders.Status(shared); err == nil && st.Kind == entry.KindFolder && st.Permissions&entry.Sticky != 0 {
		if c, ok, err := t.sound(path.Join(shared, fmt.Sprint(t.User)), top, at, false); ok || err != nil {
			return c, err
		}
	}
	c, ok, err := t.sound(path.Join(top, fmt.Sprint(".Trash-", t.User)), top, at, false)
	if !ok && err == nil {
		err = ErrNoTrash
	}
	return c, err
}

// statusOf returns what the system says of a folder, the root among them.
func (t *Directories) statusOf(dir string) (st sys.Status, err error) {
	if dir != "/" {
		return t.folders.Status(dir)
	}
	if err := t.folders.Open("/"); err != nil {
		return st, err
	}
	fd, err := t.folders.Handles.Fd()
	if err != nil {
		return st, err
	}
	return t.folders.Handles.Calls.Status(fd, "")
}

// home returns the path of the trash in the home folder, with no link in it;
// empty if there is none.
func (t *Directories) home() (string, error) {
	if t.Home == "" {
		return "", nil
	}
	return realPath(t.Home)
}

// realPath returns a path with links followed, as far as it is there.
func realPath(full string) (string, error) {
	missing := ""
	for at := full; ; at = path.Dir(at) {
		existing, err := filepath.EvalSymlinks(at)
		if err == nil {
			return path.Join(existing, missing), nil
		}
		if !errors.Is(err, unix.ENOENT) || at == "/" {
			return "", err
		}
		missing = path.Join(path.Base(at), missing)
	}
}

// sound makes sure of a trash can, and makes what is missing of it: it is in the
// mount, a folder and no link, and its own user's alone. If it is not, it is not
// used; an error is something else, which the next can would not make good.
func (t *Directories) sound(full, top string, at openat.MountOf, home bool) (c directory, ok bool, err error) {
	c = directory{Path: full, top: top, home: home, names: 255}
	for _, part := range []string{full, path.Join(full, "files"), path.Join(full, "info")} {
		st, err := t.folders.Status(part)
		if openat.Gone(err) {
			if could, err := t.couldMake(part, at); !could || t.dry {
				return c, could, err
			}
			if err = t.make(part, home); err == nil {
				st, err = t.folders.Status(part)
			}
		}
		if errors.Is(err, openat.ErrLink) || errors.Is(err, openat.ErrNoFolderNow) {
			return c, false, nil
		}
		if err != nil {
			return c, false, err
		}
		if !t.owns(&st, at, home) {
			return c, false, nil
		}
	}
	if fd, _, err := t.folders.At(path.Join(full, "files", "x")); err == nil {
		if v, err := t.folders.Handles.Calls.Volume(fd); err == nil && v.NameMax > 0 {
			c.names = v.NameMax
		}
	}
	return c, true, nil
}

// owns reports whether a folder of a trash can is its user's alone, and in the mount.
func (t *Directories) owns(st *sys.Status, at openat.MountOf, home bool) bool {
	return st.Kind == entry.KindFolder && st.Mount == at.Mount && st.Device == at.Device && int(st.UID) == t.User && (home || st.Permissions&0o077 == 0)
}

// Open opens the folder of a path in a trash can, and makes sure of it again now that
// it is open: another one may have taken its place.
func (t *Directories) Open(c directory, full string, at openat.MountOf) (fd int, name string, err error) {
	if fd, name, err = t.folders.At(full); err != nil {
		return fd, name, err
	}
	st, err := t.folders.Handles.Calls.Status(fd, "")
	if err == nil && !t.owns(&st, at, c.home) {
		err = ErrNoTrash
	}
	return fd, name, err
}

// couldMake reports whether a folder could be made: in the mount, by this user.
func (t *Directories) couldMake(full string, at openat.MountOf) (bool, error) {
	for dir := path.Dir(full); ; dir = path.Dir(dir) {
		st, err := t.statusOf(dir)
		if openat.Gone(err) && dir != "/" {
			continue
		}
		if err != nil {
			return false, err
		}
		if st.Kind != entry.KindFolder || st.Mount != at.Mount || st.Device != at.Device {
			return false, nil
		}
		fd, _, err := t.folders.At(path.Join(dir, "x"))
		if err == nil {
			err = t.folders.Handles.Calls.MayWrite(fd)
		}
		if errors.Is(err, unix.EACCES) || errors.Is(err, unix.EROFS) || errors.Is(err, unix.EPERM) {
			return false, nil
		}
		return err == nil, err
	}
}

// make makes a folder that is its owner's alone and, in the home folder, those on
// the path to it.
func (t *Directories) make(full string, rel bool) error {
	fd, name, err := t.folders.At(full)
	if openat.Gone(err) && rel {
		if err = t.make(path.Dir(full), rel); err == nil {
			fd, name, err = t.folders.At(full)
		}
	}
	if err != nil {
		return err
	}
	if err := t.folders.Handles.Calls.MakeFolder(fd, name, 0o700); err != nil && !errors.Is(err, unix.EEXIST) {
		return err
	}
	return nil
}

// trashInfo ends the name of what the trash keeps of a thing.
const trashInfo = ".trashinfo"

// Reserve takes a free name in the trash can, by writing down what is to go under it and from where. It calls begin
// with each name before it tries it.
func (t *Directories) Reserve(c directory, in openat.MountOf, full string, now time.Time, begin func(file, info string) error) (file, info string, err error) {
	from := full
	if c.top != "" {
		from = strings.TrimPrefix(full, strings.TrimSuffix(c.top, "/")+"/")
	}
	text := "[Trash Info]\nPath=" + (&url.URL{Path: from}).EscapedPath() + "\nDeletionDate=" + now.Format("2006-01-02T15:04:05") + "\n"
	calls := t.folders.Handles.Calls
	of := path.Join(c.Path, path.Base(full))
	for n := max(1, t.next[of]); n < mostNumbers; n++ {
		t.next[of] = n + 1
		name := numbered(path.Base(full), n, c.names-len(trashInfo))
		file, info = path.Join(c.Path, "files", name), path.Join(c.Path, "info", name+trashInfo)
		isFree := true
		for _, one := range []string{file, info} {
			_, err := t.folders.Status(one)
			if err != nil && !openat.Gone(err) {
				return "", "", err
			}
			isFree = isFree && err != nil
		}
		if !isFree {
			continue
		}
		if err := begin(file, info); err != nil {
			return "", "", err
		}
		at, last, err := t.Open(c, info, in)
		if err != nil {
			return "", "", err
		}
		out, err := calls.CreateFile(at, last)
		if errors.Is(err, unix.EEXIST) {
			continue // another program was faster
		}
		if err != nil {
			return "", "", err
		}
		_, err = calls.Write(out, []byte(text))
		calls.Close(out)
		if err != nil {
			calls.Unlink(at, last)
		}
		return file, info, err
	}
	return "", "", openat.ErrTaken
}

// mostNumbers is how many names are tried.
const mostNumbers = 1_000_000

// numbered returns a name with a number before its extension, if that is above 1;
// what is too long is cut.
func numbered(name string, n, most int) string {
	stem, ext := entry.SplitName(name)
	if ext != "" {
		ext = "." + ext
	}
	if n > 1 {
		ext = fmt.Sprintf("-%d%s", n, ext)
	}
	if len(stem)+len(ext) <= most {
		return stem + ext
	}
	if len(ext) > most/2 { // it is no extension
		stem, ext = name, ""
		if n > 1 {
			ext = fmt.Sprintf("-%d", n)
		}
	}
	cut := max(0, min(len(stem), most-len(ext)))
	for cut > 0 && utf8.ValidString(stem) && cut < len(stem) && !utf8.RuneStart(stem[cut]) {
		cut--
	}
	return stem[:cut] + ext
}
