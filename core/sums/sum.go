package sums

import (
	"frankledger/core/entry"
	"frankledger/core/quantity"
)

// Sum is a number of entries and the bytes they hold.
type Sum struct {
	Files   int64 // names of files
	Folders int64
	Links   int64
	Others  int64      // pipes, sockets, devices
	Size    int64      // bytes of content, of files, each counted once
	Disk    int64      // bytes allocated on disk, each thing counted once
	Newest  entry.Time // when the newest of what is no folder was last altered
	Dated   bool       // there is a Newest
	Known   int64      // entries about which more is known than their names
	Sized   int64      // files whose size is known
	Unread  int64      // folders that could not be read, or not to their end
}

// HasSize reports whether anything is known of how many bytes of content there are:
// there is nothing to be known, or something is.
func (s *Sum) HasSize() bool { return s.Sized > 0 || s.Files == 0 && s.Unread == 0 }

// HasDisk tells likewise of the bytes on disk.
func (s *Sum) HasDisk() bool { return s.Known > 0 || s.Entries() == 0 && s.Unread == 0 }

// HasEntries reports whether anything is known of how many entries there are.
func (s *Sum) HasEntries() bool { return s.Entries() > 0 || s.Unread == 0 }

// Whole reports whether all is known: else the sums are the least that it can be.
func (s *Sum) Whole() bool { return s.Unread == 0 && s.Known == s.Entries() && s.Sized == s.Files }

// Entries is how many entries there are.
func (s *Sum) Entries() int64 { return s.Files + s.Folders + s.Links + s.Others }

// Add adds another sum.
func (s *Sum) Add(other Sum) {
	s.Files += other.Files
	s.Folders += other.Folders
	s.Links += other.Links
	s.Others += other.Others
	s.Known += other.Known
	s.Sized += other.Sized
	s.Unread += other.Unread
	s.Size = quantity.Add(s.Size, other.Size)
	s.Disk = quantity.Add(s.Disk, other.Disk)
	if other.Dated {
		s.Date(other.Newest)
	}
}

// Date makes the newest at least that new.
func (s *Sum) Date(t entry.Time) {
	if !s.Dated || t.Compare(s.Newest) > 0 {
		s.Newest, s.Dated = t, true
	}
}

// Take counts an entry. If what it is has several names, its bytes are left to
// be counted once, and Take returns them with true.
func (s *Sum) Take(e *entry.Entry) (bytes Sum, several bool) {
	known := e.Known&entry.FactStatus != 0
	if known {
		s.Known++
	}
	switch e.Kind {
	case entry.KindFile:
		s.Files++
		if e.HasSize() {
			bytes.Size = e.Size
			s.Sized++
		}
	case entry.KindFolder:
		s.Folders++
	case entry.KindLink:
		s.Links++
	default:
		s.Others++
	}
	if known && e.Kind != entry.KindFolder {
		s.Date(e.Modified)
	}
	bytes.Disk = e.Disk
	if e.Links > 1 && e.Kind != entry.KindFolder {
		return bytes, true
	}
	s.Add(bytes)
	return bytes, false
}
