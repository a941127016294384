package entry

import (
	"bytes"
	"path"
	"strings"
)

// Facts says which facts about an entry are wanted, or known. An entry's name
// and its kind are always known and need no bit.
type Facts uint32

const (
	FactStatus     Facts = 1 << iota // inode, device, size, disk, links, owner, group, permissions, and the three times of POSIX
	FactCreated                      // when it was made; comes with the status, where the file system keeps it
	FactTarget                       // what a link says
	FactReach                        // whether a link leads anywhere
	FactReadable                     // whether the person running the program may read it
	FactWritable                     // … write it
	FactExecutable                   // … run it
	FactInside                       // whether a folder has anything in it
	FactContent                      // the first few kilobytes of a file: media type
	FactXattrs                       // extended attributes, access lists and capabilities among them
	FactFlags                        // immutable, append-only and the like
	FactMount                        // the file system, and where it is mounted
	firstDigest                      // this and those after it take reading all of a file; see Algorithms
)

// FactText is what of the texts that were looked for is in a file. It takes reading all of it, unless it is there.
const FactText Facts = 1 << 31

// FactTwins is whether another name in its folder is the same but for letter case. It takes reading the folder again.
const FactTwins Facts = 1 << 30

// Some of the digests.
const (
	FactSHA256 = firstDigest << iota
	FactSHA512
	FactSHA384
	FactSHA1
	FactMD5
	FactBLAKE3
)

// Has reports whether all the wanted facts are there.
func (f Facts) Has(wanted Facts) bool { return f&wanted == wanted }

// Marks are facts about an entry that are either so or not.
type Marks uint16

const (
	MarkReaches    Marks = 1 << iota // a link that leads somewhere
	MarkReadable                     // by the person running the program
	MarkWritable                     // likewise
	MarkExecutable                   // likewise
	MarkVoid                         // a folder with nothing in it
	MarkMislabelled
	MarkFlaggedHidden // by the system's flag, where it has one
	MarkUnsized       // how much content it has is not known: of a file it is made as it is read, a folder was not read
	MarkAtLeast       // its size is summed, and not all of it is known
	MarkChosen        // a condition chose it, of all that was read
	MarkUndecided     // it is not known whether a condition would choose it
	MarkTwin          // another name in its folder is the same but for letter case
)

// Entry is one name in a folder and what is known about it. Known says which
// of the other facts hold a value; the rest are zero and mean nothing.
type Entry struct {
	Folder *Folder // the folder it lies in; if Self, the place itself
	Inside *Folder // if it is a folder that is being read: that folder
	Name   string  // base name, exact bytes
	More   *More   // facts that few questions ask for; may be nil

	Inode    uint64
	Device   uint64 // the number of the file system it is on, as st_dev has it
	Size     int64  // bytes of content; see HasSize
	Disk     int64  // bytes allocated on disk
	Modified Time   // content last altered
	Accessed Time   // last read
	Changed  Time   // details (permissions, owner, name count) last altered
	Links    uint32 // how many names it has
	UID, GID uint32

	Known       Facts // this order of fields leaves no gaps: millions are kept
	Permissions Permissions
	Marks       Marks
	Kind        Kind
	Self        bool // this is the place that was asked about, not something in it
	Summed      bool // Size and Disk of a folder are the totals of what it holds
}

// More holds the facts of an Entry that few questions ask for.
type More struct {
	Target  string // what a link says, exact bytes
	Created Time   // when it was made
	Digests Digests
	Type    string // media type, after the IANA registry
	Details *Details
	Lines   Lines
}

// Lines are what was found of the texts that are looked for in the lines of a file.
type Lines struct {
	Met    uint64 // which texts are there, a bit for each
	Number int64  // of the first line that has one, from 1 on; 0 for none
	First  string // that line, in UTF-8, as far as it is shown
}

// HasSize reports whether Size has a meaning: for files, and for folders whose
// content was summed. The size that the system reports for any other thing is
// its own bookkeeping.
func (e *Entry) HasSize() bool {
	return e.Known&FactStatus != 0 && e.Kind == KindFile && e.Marks&MarkUnsized == 0 || e.Summed
}

// ForgetCreated removes the time when the entry was made, if nothing else is kept beside it. A million entries
// take 90 MB less without it.
func (e *Entry) ForgetCreated() {
	if e.Known.Has(FactCreated) && e.Known&^(FactStatus|FactCreated|FactInside) == 0 {
		e.Known, e.More = e.Known&^FactCreated, nil
	}
}

// Depth is 0 for the place itself and 1 for an entry directly in it.
func (e *Entry) Depth() int {
	if e.Self {
		return 0
	}
	return e.Folder.Depth + 1
}

// Hidden reports whether the name starts with a dot or, on systems that have a
// flag for it, the flag is set.
func (e *Entry) Hidden() bool { return HiddenName(e.Name) || e.Marks&MarkFlaggedHidden != 0 }

// AppendPath appends the place as it was given, joined with the path to the
// entry.
func (e *Entry) AppendPath(dst []byte) []byte {
	dst = e.Folder.AppendPath(dst)
	if e.Self {
		return dst
	}
	if dst[len(dst)-1] != '/' {
		dst = append(dst, '/')
	}
	return append(dst, e.Name...)
}

// Path returns the place as it was given, joined with the path to the entry.
func (e *Entry) Path() string { return string(e.AppendPath(nil)) }

// FullPath returns the path from the root of the system.
func (e *Entry) FullPath() string {
	if e.Self {
		return e.Folder.FullPath()
	}
	return string(e.appendFullPath(nil))
}

// appendFullPath appends what FullPath returns.
func (e *Entry) appendFullPath(dst []byte) []byte {
	dst = append(dst, e.Folder.FullPath()...)
	if e.Self {
		return dst
	}
	if !bytes.HasSuffix(dst, []byte("/")) {
		dst = append(dst, '/')
	}
	return append(dst, e.Name...)
}

// Relative returns the path from the place to the entry; for the place itself, its
// name.
func (e *Entry) Relative() string {
	if e.Self || e.Folder.Parent == nil {
		return e.Name
	}
	return string(e.appendRelative(nil))
}

// appendRelative appends what Relative returns.
func (e *Entry) appendRelative(dst []byte) []byte {
	if !e.Self && e.Folder.Parent != nil {
		dst = append(append(dst, e.Folder.Relative()...), '/')
	}
	return append(dst, e.Name...)
}

// FolderPath returns the path of the folder it lies in, and whether that is
// known: the place "." or "/" does not say.
func (e *Entry) FolderPath() (string, bool) {
	if !e.Self {
		return e.Folder.Path(), true
	}
	given := strings.TrimRight(e.Folder.Place.Given, "/")
	if given == "" || path.Base(given) != e.Name {
		return "", false
	}
	return path.Dir(given), true
}

// SplitName splits a name at its last dot into stem and extension. Leading
// dots belong to the stem, and a name without an extension has "".
func SplitName(name string) (stem, ext string) {
	dot := strings.LastIndexByte(name, '.')
	if dot <= 0 || dot == len(name)-1 || strings.Trim(name[:dot], ".") == "" {
		return name, ""
	}
	return name[:dot], name[dot+1:]
}

// Keep returns a copy of an entry that was only lent, with a name and details of its own.
func (e *Entry) Keep() Entry {
	kept := *e
	kept.Name, kept.More = strings.Clone(e.Name), e.More.Clone()
	return kept
}

// Clone returns a copy that may be kept, or nil for nil.
func (m *More) Clone() *More {
	if m == nil {
		return nil
	}
	clone := *m
	return &clone
}
