package openat

import (
	"errors"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/volume"
)

var (
	ErrLink        = errors.New("a folder in its path is now a link")
	ErrNoFolderNow = errors.New("a part of its path is not a folder")
	errDots        = errors.New("its path is not a clean absolute path")
	errMovedAway   = errors.New("a folder in its path was replaced in the meantime")
	ErrChanged     = errors.New("it has changed since the plan was made")
	ErrGone        = errors.New("it no longer exists")
	ErrTaken       = errors.New("that name is taken already")
	ErrMountInside = errors.New("another file system is mounted in it")
)

// Folders opens folders by their full paths, from the root on, none of them by a
// link: so nothing that is put on the way in the meantime can lead elsewhere. The way
// down to the last one is kept, as the next one mostly lies near.
type Folders struct {
	Path    string // of the last one; "" if there is none
	Handles HandleStack
}

// NewFolders returns folders that are reached by some calls.
func NewFolders(calls *sys.Calls) Folders {
	return Folders{Handles: HandleStack{Calls: calls, Mounts: true}}
}

// At returns the open folder that a path lies in, and the last name of it. The
// folder is valid until the next call.
func (f *Folders) At(full string) (fd int, name string, err error) {
	slash := strings.LastIndexByte(full, '/')
	if slash < 0 || full[0] != '/' {
		return -1, "", errDots
	}
	dir, name := full[:max(slash, 1)], full[slash+1:]
	if name == "" || name == "." || name == ".." {
		return -1, "", errDots
	}
	if err := f.Open(dir); err != nil {
		return -1, "", err
	}
	fd, err = f.Handles.Fd()
	if err != nil {
		f.Close()
	}
	return fd, name, err
}

// Open opens a folder, from where the path to it parts from the one that is open.
func (f *Folders) Open(dir string) (err error) {
	if f.Path == dir {
		return nil
	}
	if f.Path == "" {
		fd, err := f.Handles.Calls.Root()
		if err == nil {
			err = f.Handles.Reset(fd)
		}
		if err != nil {
			return err
		}
		f.Path = "/"
	}
	shared := sharedFolders(f.Path, dir)
	for depth := folderDepth(f.Path[:shared]); f.Handles.depth() > depth; {
		f.Handles.Up()
	}
	f.Path = "" // until it is whole
	if rest := strings.TrimPrefix(dir[shared:], "/"); rest != "" {
		for name := range strings.SplitSeq(rest, "/") {
			if err := f.Handles.Down(name); err != nil {
				f.Handles.Close()
				return err
			}
		}
	}
	f.Path = dir
	return nil
}

// sharedFolders returns how much of two paths of folders is the same, up to the
// end of a folder in both.
func sharedFolders(a, b string) int {
	n, end := min(len(a), len(b)), 0
	i := 0
	for ; i < n && a[i] == b[i]; i++ {
		if a[i] == '/' {
			end = i
		}
	}
	if i == n && (len(a) == n || a[n] == '/') && (len(b) == n || b[n] == '/') {
		end = n
	}
	return max(end, 1)
}

// folderDepth returns how many folders below the root a path leads.
func folderDepth(dir string) int {
	if dir == "/" {
		return 0
	}
	return strings.Count(dir, "/")
}

// Mount returns where the last folder is.
func (f *Folders) Mount() MountOf {
	last := f.Handles.Held[len(f.Handles.Held)-1]
	return MountOf{last.mount, last.Node.Device}
}

func (f *Folders) Close() {
	f.Handles.Close()
	f.Path = ""
}

// Status returns what the system says of a path.
func (f *Folders) Status(full string) (st sys.Status, err error) {
	fd, name, err := f.At(full)
	if err != nil {
		return st, err
	}
	return f.Handles.Calls.Status(fd, name)
}

// Gone reports whether an error means that nothing has a name.
func Gone(err error) bool { return errors.Is(err, unix.ENOENT) }

// Volumes are the file systems that were met, by the numbers they have now.
type Volumes map[uint64]volume.Volume

// Of returns what is known of the file system of an entry in an open folder.
func (v Volumes) Of(calls *sys.Calls, at int, name string, st *sys.Status) volume.Volume {
	if known, met := v[st.Device]; met {
		return known
	}
	var found volume.Volume
	if above, err := calls.Status(at, ""); err == nil && above.Device != st.Device {
		// Something is mounted on it, or this file system gives every folder
		// a number of its own.
		if st.Kind == entry.KindFolder {
			if fd, err := calls.OpenFolder(at, name); err == nil {
				found, _ = calls.Volume(fd) // not known
				calls.Close(fd)
			}
		}
	} else if err == nil {
		found, _ = calls.Volume(at)
	}
	v[st.Device] = found
	return found
}

// MountOf is a part of the tree of folders in which things can be renamed: a mount
// and, as some file systems have several in one, a device.
type MountOf struct{ Mount, Device uint64 }

// Named returns the name of the file system of an entry in the folder that is open.
func (v Volumes) Named(calls *sys.Calls, f *Folders, st *sys.Status) string {
	if known, met := v[st.Device]; met {
		return known.ID
	}
	at, err := f.Handles.Fd()
	if err != nil {
		return ""
	}
	return v.Of(calls, at, "", st).ID
}
