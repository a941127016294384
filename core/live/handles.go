package live

import (
	"strings"
	"sync/atomic"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/live/calls"
)

// opened is a folder that was opened. Each folder still to be opened below it
// holds it by a reference, and so does whoever reads it; the last one to let go
// closes it.
//
// When many folders are open at once it may be closed although folders below
// it wait. These are then opened by the relative path from the nearest folder above that
// is open, and node reports whether the path still leads to the same folder.
type opened struct {
	folder *entry.Folder
	above  *opened
	dir    calls.Dir
	node   entry.Node
	shut   bool // closed early; set before any other goroutine sees it
	shared bool // other goroutines have it, so that it must stay open; only its reader looks
	refs   atomic.Int32
}

// handles counts the folders that are open.
type handles struct {
	open  atomic.Int32
	limit int32 // how many may stay open for folders that wait
}

// newHandles takes half of what the system allows, less what the rest of the
// program may need.
func newHandles() *handles {
	const most, least, elsewhere = 1024, 4, 32
	return &handles{limit: int32(min(most, max(least, (mayOpen()-elsewhere)/2)))}
}

// mayOpen returns how many files the system lets the program have open.
func mayOpen() int {
	const usual = 1024
	var rlimit unix.Rlimit
	if unix.Getrlimit(unix.RLIMIT_NOFILE, &rlimit) != nil {
		return usual
	}
	return int(min(uint64(rlimit.Cur), 1<<20))
}

func (h *handles) opened(folder *entry.Folder, above *opened, d calls.Dir) *opened {
	h.open.Add(1)
	o := &opened{folder: folder, above: above, dir: d}
	o.refs.Store(1)
	return o
}

// letGo gives back n references.
func (h *handles) letGo(o *opened, n int) {
	if o.refs.Add(int32(-n)) == 0 && !o.shut {
		o.dir.Close()
		h.open.Add(-1)
	}
}

// hold takes a reference, unless the folder is closed already.
func (o *opened) hold() bool {
	for !o.shut {
		refs := o.refs.Load()
		if refs == 0 {
			return false
		}
		if o.refs.CompareAndSwap(refs, refs+1) {
			return true
		}
	}
	return false
}

// tooMany reports whether no more folders should stay open than must.
func (h *handles) tooMany() bool { return h.open.Load() > h.limit }

// shutEarly closes a folder although others wait below it. Only its reader may
// call it, before anyone else is told of the folder.
func (h *handles) shutEarly(o *opened) {
	if o.above == nil {
		return
	}
	var s calls.Status
	if s.Identity(o.dir) != nil {
		return
	}
	o.node = s.Node()
	o.dir.Close()
	h.open.Add(-1)
	o.shut = true
}

// longestRelative keeps paths under what the system takes in one call.
const longestRelative = 2048

// reach opens again a folder that was closed early. The caller closes it.
func (h *handles) reach(o *opened) (calls.Dir, error) {
	from := o.above
	for !from.hold() {
		from = from.above
	}
	defer h.letGo(from, 1)
	d, err := openRelative(from, o.folder)
	if err != nil {
		return calls.Dir{}, err
	}
	var s calls.Status
	if err := s.Identity(d); err != nil || s.Node() != o.node {
		d.Close()
		return calls.Dir{}, errMoved
	}
	return d, nil
}

// openRelative opens a folder by its path from one above it, however long, following
// links.
func openRelative(from *opened, folder *entry.Folder) (calls.Dir, error) {
	return openTrail(from.dir, folder.Trail()[from.folder.Depth+1:])
}

// openTrail opens the last of folders in one another, at least one, the first
// of which is in that one.
func openTrail(from calls.Dir, trail []*entry.Folder) (calls.Dir, error) {
	at := from
	for len(trail) > 0 {
		length, n := 0, 0
		for n < len(trail) && (n == 0 || length+len(trail[n].Name) < longestRelative) {
			length += len(trail[n].Name) + 1
			n++
		}
		names := make([]string, n)
		for i, folder := range trail[:n] {
			names[i] = folder.Name
		}
		next, err := calls.OpenDir(at.Handle(), strings.Join(names, "/"), true)
		if at != from {
			at.Close()
		}
		if err != nil {
			return calls.Dir{}, err
		}
		at, trail = next, trail[n:]
	}
	return at, nil
}

// longestPath is the longest path that every system takes in one call.
const longestPath = 1024 - 1

// near returns an open folder and a name in it, for a path of any length: the
// current folder and the path itself, if that is short enough.
func near(path string) (at int, name string, done func(), err error) {
	at, done = unix.AT_FDCWD, func() {}
	for len(path) > longestPath {
		cut := strings.LastIndexByte(path[:longestPath], '/')
		if cut <= 0 {
			break // one name, which the system will say is too long
		}
		next, err := calls.OpenDir(at, path[:cut], true)
		done()
		if err != nil {
			return -1, "", func() {}, err
		}
		at, done, path = next.Handle(), next.Close, strings.TrimLeft(path[cut:], "/")
	}
	return at, path, done, nil
}
