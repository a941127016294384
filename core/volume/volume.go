// Package volume tells file systems apart by what lasts: the number of a device may
// be another one after the next mount.
package volume

import (
	"os"
	"path/filepath"
)

// Volume is what is known of a file system.
type Volume struct {
	// ID tells it from any other, also after it was mounted anew; empty where
	// the system does not say anything that lasts.
	ID       string
	NameMax  int // bytes of a name; 0 if that is not known
	ReadOnly bool
	NoLinks  bool // a file can have one name only
	// The moments that it can hold are between these, if Limited.
	Limited     bool
	First, Last int64 // seconds since 1970
	// Grain is the number of nanoseconds of which the times of modification that it holds
	// are multiples; 0 if that is not known.
	Grain int64
	// System is the kind of file system, by the name that [entry.Unfit] has for it; "" for others.
	System string
}

// Holds reports whether it can hold a moment, in seconds and nanoseconds since 1970, as a
// time of modification exactly: as far as is known.
func (v *Volume) Holds(seconds int64, nanoseconds uint32) bool {
	const second = 1_000_000_000
	switch {
	case v.Limited && (seconds < v.First || seconds > v.Last):
		return false
	case v.Grain < second:
		return v.Grain <= 1 || int64(nanoseconds)%v.Grain == 0
	}
	return nanoseconds == 0 && seconds%(v.Grain/second) == 0
}

// IDAt returns the ID of the file system of a folder, or of the one that something
// else lies in; empty if that is not known.
func IDAt(full string) string {
	info, err := os.Lstat(full)
	if err != nil {
		return ""
	}
	if !info.IsDir() {
		full = filepath.Dir(full)
	}
	dir, err := os.Open(full)
	if err != nil {
		return ""
	}
	defer dir.Close()
	v, _ := Of(int(dir.Fd())) // not known
	return v.ID
}
