package doing

import (
	"errors"
	"os"
	"path"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// What the person who runs this may not do is told when it is planned, as far as the system says so beforehand.

// Why somebody may not do something.
var (
	errStuck     = errors.New("you may not take it out of the folder it is in")
	errSticky    = errors.New("only its owner may take it out of this folder")
	errFixed     = errors.New("a flag (immutable or append-only) on it, or on something in it, prevents that")
	errHeld      = errors.New("a flag (immutable or append-only) prevents that")
	errReadOnly  = errors.New("the file system is read-only")
	errNotYours  = errors.New("it belongs to someone else; only its owner may change that")
	errNotReader = errors.New("you may not read it")
)

// ErrNoNewFile is why nothing can go into a folder.
var ErrNoNewFile = errors.New("you may not put anything into that folder")

// foresee returns why the person may not do what a step does, as far as that can be told.
func (p *Planning) foresee(s *plans.Step) error {
	traits := p.verb.Traits()
	if !traits.Stays && !traits.Goes && !traits.Frees || s.Path == "/" {
		return nil
	}
	st, err := p.Sources.Status(string(s.Path))
	if err != nil || st.Inode != s.Inode { // which is found out when it is done
		return nil
	}
	if traits.Copies {
		return p.mayRead(s, &st)
	}
	if st.Fixed {
		return errHeld
	}
	if !traits.Stays {
		return nil // it leaves its folder, which is asked about by itself
	}
	if at, _, err := p.Sources.At(string(s.Path)); err == nil && p.readOnly(at) {
		return errReadOnly
	}
	if uid := os.Geteuid(); uid != 0 && st.UID != uint32(uid) {
		return errNotYours
	}
	return nil
}

// readOnly reports whether the file system of an open folder of the sources is mounted so that nothing can be
// written to it.
func (p *Planning) readOnly(at int) bool {
	mount := p.Sources.Mount()
	is, known := p.closed[mount]
	if !known {
		v, err := p.Calls.Volume(at)
		is = err == nil && v.ReadOnly
		p.closed[mount] = is
	}
	return is
}

// IsFree returns an error unless a step can make something at its path: its folder is there, or another step makes it.
func (p *Planning) IsFree(s *plans.Step) error {
	full := string(s.Path)
	dir := path.Dir(full)
	if p.tooLong(full) {
		return errLongName
	}
	_, made := p.targets[dir]
	if !made {
		_, _, err := p.folders.At(full)
		switch {
		case openat.Gone(err):
			return errNoFolder
		case err != nil:
			return err
		}
		if err := p.mayEnter(full); err != nil {
			return err
		}
		if err := p.free(s, full); err != nil {
			return err
		}
	} else if _, taken := p.targets[full]; taken {
		return ErrSeveral
	}
	p.targets[full] = struct{}{}
	return nil
}

var errNoFolder = errors.New("its folder does not exist; name the folder too, with a slash at the end")

// mayRead returns an error if a file that is to be copied may not be read.
func (p *Planning) mayRead(s *plans.Step, st *sys.Status) error {
	if os.Geteuid() == 0 || st.Kind != entry.KindFile {
		return nil
	}
	at, name, err := p.Sources.At(string(s.Path))
	if err == nil && errors.Is(p.Calls.MayRead(at, name), unix.EACCES) {
		return errNotReader
	}
	return nil
}

// MayLeave returns an error if an entry may not be taken out of the folder that it is in.
func (p *Planning) MayLeave(s *plans.Step) error {
	dir, _ := path.Split(string(s.Path))
	if p.mayFrom.path != dir {
		at, _, err := p.Sources.At(string(s.Path))
		if err != nil {
			return err
		}
		p.mayFrom.path, p.mayFrom.err = dir, p.Calls.MayWrite(at)
		p.mayFrom.sticky = false
		if own, err := p.Calls.Status(at, "."); err == nil && os.Geteuid() != 0 {
			p.mayFrom.sticky = own.Permissions&entry.Sticky != 0 && own.UID != uint32(os.Geteuid())
		}
	}
	may := p.mayFrom.err
	if t := p.verb.Traits(); os.Geteuid() != 0 && t.Goes && t.Whole && may == nil && s.Kind == entry.KindFolder.String() { // its own entry for the folder above is altered
		at, name, err := p.Sources.At(string(s.Path))
		if err != nil {
			return err
		}
		fd, err := p.Calls.OpenFolder(at, name)
		if err != nil {
			return err
		}
		may = p.Calls.MayWrite(fd)
		p.Calls.Close(fd)
	}
	switch {
	case errors.Is(may, unix.EROFS):
		return errReadOnly
	case errors.Is(may, unix.EACCES) || errors.Is(may, unix.EPERM):
		return errStuck
	case may == nil && p.mayFrom.sticky && s.Entry != nil && s.Entry.Known.Has(entry.FactStatus) && s.Entry.UID != uint32(os.Geteuid()):
		return errSticky
	}
	return may
}

// mayEnter returns an error if nothing may be put into the folder that a path is in, or into the one above that
// which is there.
func (p *Planning) mayEnter(to string) error {
	for dir := path.Dir(to); ; dir = path.Dir(dir) {
		err, known := p.mayInto[dir]
		if !known {
			at, _, failed := p.folders.At(strings.TrimSuffix(dir, "/") + "/x")
			if openat.Gone(failed) && dir != "/" {
				continue
			}
			if failed == nil {
				failed = p.Calls.MayWrite(at)
			}
			switch {
			case errors.Is(failed, unix.EROFS):
				err = errReadOnly
			case errors.Is(failed, unix.EACCES) || errors.Is(failed, unix.EPERM):
				err = ErrNoNewFile
			}
			p.mayInto[dir] = err
		}
		return err
	}
}
