package act

import (
	"errors"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/volume"
)

var (
	errLink        = errors.New("a folder in its path is now a link")
	errNoFolderNow = errors.New("a part of its path is not a folder")
	errDots        = errors.New("its path is not a clean absolute path")
	errMovedAway   = errors.New("a folder in its path was replaced in the meantime")
	errChanged     = errors.New("it has changed since the plan was made")
	errGone        = errors.New("it no longer exists")
	errTaken       = errors.New("that name is taken already")
	errMountInside = errors.New("another file system is mounted in it")
)

// folders opens folders by their full paths, from the root on, none of them by a
// link: so nothing that is put on the way in the meantime can lead elsewhere. The way
// down to the last one is kept, as the next one mostly lies near.
type folders struct {
	path   string // of the last one; "" if there is none
	ladder ladder
}

func newFolders(calls *sys.Calls) folders { return folders{ladder: ladder{calls: calls, mounts: true}} }

// at returns the open folder that a path lies in, and the last name of it. The
// folder is valid until the next call.
func (f *folders) at(full string) (fd int, name string, err error) {
	slash := strings.LastIndexByte(full, '/')
	if slash < 0 || full[0] != '/' {
		return -1, "", errDots
	}
	dir, name := full[:max(slash, 1)], full[slash+1:]
	if name == "" || name == "." || name == ".." {
		return -1, "", errDots
	}
	if err := f.open(dir); err != nil {
		return -1, "", err
	}
	fd, err = f.ladder.fd()
	if err != nil {
		f.close()
	}
	return fd, name, err
}

// open opens a folder, from where the path to it parts from the one that is open.
func (f *folders) open(dir string) (err error) {
	if f.path == dir {
		return nil
	}
	if f.path == "" {
		fd, err := f.ladder.calls.Root()
		if err == nil {
			err = f.ladder.reset(fd)
		}
		if err != nil {
			return err
		}
		f.path = "/"
	}
	shared := sharedFolders(f.path, dir)
	for depth := folderDepth(f.path[:shared]); f.ladder.depth() > depth; {
		f.ladder.up()
	}
	f.path = "" // until it is whole
	if rest := strings.TrimPrefix(dir[shared:], "/"); rest != "" {
		for name := range strings.SplitSeq(rest, "/") {
			if err := f.ladder.down(name); err != nil {
				f.ladder.close()
				return err
			}
		}
	}
	f.path = dir
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

// mount returns where the last folder is.
func (f *folders) mount() mountOf {
	last := f.ladder.rungs[len(f.ladder.rungs)-1]
	return mountOf{last.mount, last.node.Device}
}

func (f *folders) close() {
	f.ladder.close()
	f.path = ""
}

// status returns what the system says of a path.
func (f *folders) status(full string) (st sys.Status, err error) {
	fd, name, err := f.at(full)
	if err != nil {
		return st, err
	}
	return f.ladder.calls.Status(fd, name)
}

// gone reports whether an error means that nothing has a name.
func gone(err error) bool { return errors.Is(err, unix.ENOENT) }

// volumes are the file systems that were met, by the numbers they have now.
type volumes map[uint64]volume.Volume

// of returns what is known of the file system of an entry in an open folder.
func (v volumes) of(calls *sys.Calls, at int, name string, st *sys.Status) volume.Volume {
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
