package entry

import (
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
}

// Folder is a folder being read, or, if what was asked about is no folder, the
// place itself.
type Folder struct {
	Place  *Place
	Parent *Folder // nil for the place
	Name   string  // exact bytes; empty for the place
	Depth  int     // 0 for the place, 1 for a folder directly in it
	Hidden bool    // it, or a folder between it and the place, is hidden

	path   atomic.Pointer[string]
	unread atomic.Bool
}

// MarkUnread notes that the folder could not be read, or not to its end.
func (f *Folder) MarkUnread() { f.unread.Store(true) }

// Unread tells whether the folder could not be read, or not to its end.
func (f *Folder) Unread() bool { return f.unread.Load() }

// NewFolder returns the folder of that name in parent.
func NewFolder(parent *Folder, name string) *Folder {
	return &Folder{
		Place:  parent.Place,
		Parent: parent,
		Name:   name,
		Depth:  parent.Depth + 1,
		Hidden: parent.Hidden || HiddenName(name),
	}
}

// HiddenName tells whether a name starts with a dot.
func HiddenName(name string) bool { return len(name) > 0 && name[0] == '.' }

// keepPath is the longest path that is kept once built. Longer ones are built
// each time, or a chain of nested folders would cost its length squared.
const keepPath = 1024

// Path returns the place as it was given, joined with the way to the folder.
// It may be called from several goroutines.
func (f *Folder) Path() string {
	if f.Parent == nil {
		return f.Place.Given
	}
	if path := f.path.Load(); path != nil {
		return *path
	}
	prefix := f.Place.Given
	if !strings.HasSuffix(prefix, "/") {
		prefix += "/"
	}
	path := prefix + f.Way()
	if len(path) <= keepPath {
		f.path.Store(&path)
	}
	return path
}

// FullPath returns the path from the root of the system.
func (f *Folder) FullPath() string {
	if f.Parent == nil {
		return f.Place.Full
	}
	return strings.TrimSuffix(f.Place.Full, "/") + "/" + f.Way()
}

// Way returns the path from the place to the folder: "" for the place itself.
func (f *Folder) Way() string {
	if f.Parent == nil {
		return ""
	}
	length := -1
	for at := f; at.Parent != nil; at = at.Parent {
		length += len(at.Name) + 1
	}
	way := make([]byte, length)
	for at := f; at.Parent != nil; at = at.Parent {
		length -= len(at.Name)
		copy(way[length:], at.Name)
		if length > 0 {
			length--
			way[length] = '/'
		}
	}
	return string(way)
}

// Trail returns the folders from the place to this one, both included.
func (f *Folder) Trail() []*Folder {
	trail := make([]*Folder, f.Depth+1)
	for at := f; at != nil; at = at.Parent {
		trail[at.Depth] = at
	}
	return trail
}
