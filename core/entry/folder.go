package entry

import (
	"slices"
	"strings"
	"sync/atomic"
)

// Place is a starting point that was asked about.
type Place struct {
	Index int    // its position among the places asked about
	Given string // as it was given
	Full  string // its full path, from the root
	Real  string // the full path with links followed, where that differs; else ""
	Leaf  bool   // it is no folder
	List  bool   // it is a list of paths
	Kept  bool   // what is read of it was kept earlier: it may not be there now, and its content cannot be read
	// Record is the record in the ledger that it is read from; nil for what is
	// there now.
	Record *Record
}

// Record is when a place was written down.
type Record struct {
	Number int64
	Label  string
	Host   string
	Taken  Time
}

// Folder is a folder being read, or, if what was asked about is no folder, the
// place itself.
type Folder struct {
	Place  *Place
	Parent *Folder // nil for the place
	Name   string  // exact bytes; empty for the place
	Depth  int     // 0 for the place, 1 for a folder directly in it
	Hidden bool    // it, or a folder between it and the place, is hidden

	far    *Folder // a folder above it; nil for the place
	path   atomic.Pointer[string]
	unread atomic.Bool
}

// MarkUnread notes that the folder could not be read, or not to its end.
func (f *Folder) MarkUnread() { f.unread.Store(true) }

// Unread reports whether the folder could not be read, or not to its end.
func (f *Folder) Unread() bool { return f.unread.Load() }

// NewFolder returns the folder of that name in parent.
func NewFolder(parent *Folder, name string) *Folder {
	f := &Folder{
		Place:  parent.Place,
		Parent: parent,
		Name:   name,
		Depth:  parent.Depth + 1,
		Hidden: parent.Hidden || HiddenName(name),
		far:    parent,
	}
	// How far up it leads depends on the depth alone. In a chain of n folders, about 2 log n steps
	// lead to any folder above (Myers, An applicative random-access stack, 1983).
	if once := parent.far; once != nil {
		if twice := once.far; twice != nil && parent.Depth-once.Depth == once.Depth-twice.Depth {
			f.far = twice
		}
	}
	return f
}

// Above returns the folder at a depth, which is at most its own, on the way from the place to it.
func (f *Folder) Above(depth int) *Folder {
	for f.Depth > depth {
		if f.far != nil && f.far.Depth >= depth {
			f = f.far
		} else {
			f = f.Parent
		}
	}
	return f
}

// Part returns the folders at which the ways from the place to two folders part: they lie in the
// same folder, or are different places. They are the same where one of the two lies in the other.
func Part(a, b *Folder) (*Folder, *Folder) {
	depth := min(a.Depth, b.Depth)
	a, b = a.Above(depth), b.Above(depth)
	for a.Parent != b.Parent {
		if a.far != b.far && a.far != nil && b.far != nil {
			a, b = a.far, b.far
		} else {
			a, b = a.Parent, b.Parent
		}
	}
	return a, b
}

// HiddenName reports whether a name starts with a dot.
func HiddenName(name string) bool { return len(name) > 0 && name[0] == '.' }

// Paths up to keepPath bytes are kept once built. Of longer ones, up to
// keepLong, only that of every 32nd level is, or a chain of nested folders
// would cost its length squared.
const (
	keepPath  = 1024
	keepLong  = 64 << 10
	keepEvery = 32
)

// Path returns the place as it was given, joined with the path to the folder.
// It may be called from several goroutines.
func (f *Folder) Path() string {
	if path, kept := f.keptPath(); kept {
		return path
	}
	return string(f.AppendPath(nil))
}

func (f *Folder) keptPath() (path string, kept bool) {
	if f.Parent == nil {
		return f.Place.Given, true
	}
	if path := f.path.Load(); path != nil {
		return *path, true
	}
	return "", false
}

// AppendPath appends what Path returns.
func (f *Folder) AppendPath(dst []byte) []byte {
	start := len(dst)
	length := 0 // of what comes after the path of the nearest folder that has one
	above := f
	path, kept := above.keptPath()
	for ; !kept; path, kept = above.keptPath() {
		length += 1 + len(above.Name)
		above = above.Parent
	}
	dst = append(dst, path...)
	if above == f {
		return dst
	}
	if strings.HasSuffix(path, "/") { // the place is "/", or was given so
		dst = dst[:len(dst)-1]
	}
	end := len(dst) + length
	dst = slices.Grow(dst, length)[:end]
	for at := f; at != above; at = at.Parent {
		end -= len(at.Name)
		copy(dst[end:], at.Name)
		end--
		dst[end] = '/'
	}
	if long := len(dst) - start; long <= keepPath || long <= keepLong && f.Depth%keepEvery == 0 {
		path := string(dst[start:])
		f.path.Store(&path)
	}
	return dst
}

// FullPath returns the path from the root of the system.
func (f *Folder) FullPath() string {
	if f.Parent == nil {
		return f.Place.Full
	}
	return strings.TrimSuffix(f.Place.Full, "/") + "/" + f.Relative()
}

// Relative returns the path from the place to the folder: "" for the place itself.
func (f *Folder) Relative() string {
	if f.Parent == nil {
		return ""
	}
	return f.Path()[len(strings.TrimSuffix(f.Place.Given, "/"))+1:]
}

// Trail returns the folders from the place to this one, both included.
func (f *Folder) Trail() []*Folder {
	trail := make([]*Folder, f.Depth+1)
	for at := f; at != nil; at = at.Parent {
		trail[at.Depth] = at
	}
	return trail
}
