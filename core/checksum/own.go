package checksum

import (
	"os"
	"path/filepath"
	"syscall"

	"frankledger/core/digestlist"
	"frankledger/core/entry"
	"frankledger/core/live"
)

// OwnList is the list of digests that is being written.
type OwnList struct {
	folder string // full path, with links followed
	full   string // of the file, "" if it goes elsewhere
	info   os.FileInfo
}

// NewOwnList returns the list that goes to a path or, if that is "", to an open file,
// which may be nil.
func NewOwnList(path string, open *os.File) *OwnList {
	l := &OwnList{}
	if path != "" {
		l.full, _ = filepath.Abs(path) // fails only where there is no current folder
	} else if open != nil {
		if info, err := open.Stat(); err == nil && info.Mode().IsRegular() {
			l.info = info
		}
	}
	folder, _ := filepath.Abs(filepath.Dir(path))
	l.folder = live.Resolved(folder)
	return l
}

// is reports whether an entry is the list itself.
func (l *OwnList) is(e *entry.Entry) bool {
	if l.info != nil {
		st, ok := l.info.Sys().(*syscall.Stat_t)
		return ok && uint64(st.Dev) == e.Device && uint64(st.Ino) == e.Inode
	}
	return l.full != "" && e.FullPath() == l.full
}

// rel returns the path of a file from the folder of the list.
func (l *OwnList) rel(e *entry.Entry) string {
	place := e.Folder.Place
	if place.Kept { // wherever it was: the list is of what is below
		return e.Relative()
	}
	full := place.Full
	switch {
	case e.Self:
		full = filepath.Join(live.Resolved(filepath.Dir(full)), filepath.Base(full))
	case place.Real != "":
		full = filepath.Join(place.Real, e.Relative())
	default:
		full = filepath.Join(full, e.Relative())
	}
	if rel, err := filepath.Rel(l.folder, full); err == nil {
		return rel
	}
	return full
}

// ListFrom has the rows tell the paths of files from the folder of the list, and returns
// how many lead out of it.
func (a *Answer) ListFrom(l *OwnList) (outside int) {
	a.Listed = l.rel
	for _, e := range a.files {
		if digestlist.LeadsOut(l.rel(e)) {
			outside++
		}
	}
	return outside
}
