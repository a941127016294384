// Package weigh sums up entries, in all and folder by folder.
//
// A file with several names is counted once, wherever its names lie: sums are
// of what is there, not of what is listed.
package weigh

import (
	"cmp"
	"maps"
	"math/big"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/quantity"
	"frankledger/core/source"
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
	s.Size = add(s.Size, other.Size)
	s.Disk = add(s.Disk, other.Disk)
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

// TooMuch is what a sum of bytes comes to that is past the largest number: it
// stays there, and does not wrap round.
const TooMuch = quantity.TooMuch

func add(a, b int64) int64 { return quantity.Add(a, b) }

// Counter is a sink that counts entries and passes them on.
type Counter struct {
	next  source.Sink
	parts source.Parts[Counting]
}

// Counting counts entries, and the bytes of what has several names once. The zero value
// has counted none.
type Counting struct {
	sum   Sum
	named map[entry.Node]Sum // bytes of what has several names
}

// Count counts an entry.
func (c *Counting) Count(e *entry.Entry) {
	if bytes, several := c.sum.Take(e); several {
		if c.named == nil {
			c.named = make(map[entry.Node]Sum)
		}
		c.named[e.Node()] = bytes
	}
}

// Join adds what another has counted.
func (c *Counting) Join(other *Counting) {
	c.sum.Add(other.sum)
	if c.named == nil && len(other.named) > 0 {
		c.named = make(map[entry.Node]Sum, len(other.named))
	}
	maps.Copy(c.named, other.named)
}

// Sum returns the sum of all that was counted. Bytes are known only if the entries'
// status was.
func (c *Counting) Sum() Sum {
	sum := c.sum
	for _, bytes := range c.named {
		sum.Add(bytes)
	}
	return sum
}

// NewCounter returns a counter before the next sink.
func NewCounter(next source.Sink) *Counter { return &Counter{next: next} }

// Visitor implements source.Sink.
func (c *Counter) Visitor() source.Visitor {
	p := c.parts.New(Counting{})
	next := c.next.Visitor()
	return func(entries []entry.Entry) error {
		for i := range entries {
			p.Count(&entries[i])
		}
		return next(entries)
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

// Sum returns the sum of all entries that have passed. Bytes are known only if
// the entries' status was.
func (c *Counter) Sum() Sum {
	var all Counting
	for _, p := range c.parts.All() {
		all.Join(p)
	}
	return all.Sum()
}

// Name is one of several names of something, whose bytes are counted for one of them.
type Name[Of any] struct {
	Node  entry.Node
	Of    Of
	Bytes Sum
}

// CountOnce calls a function for the first of the names that something has, in order
// of the bytes of their paths, and another, which may be nil, for the others, with that
// first one. So it does not depend on the order they were met in where bytes are counted.
func CountOnce[Of any](names []Name[Of], path func(Of) string, first func(*Name[Of]), again func(n, counted *Name[Of])) {
	slices.SortFunc(names, func(a, b Name[Of]) int {
		if c := cmp.Or(cmp.Compare(a.Node.Device, b.Node.Device), cmp.Compare(a.Node.Inode, b.Node.Inode), strings.Compare(a.Node.Host, b.Node.Host)); c != 0 {
			return c
		}
		return strings.Compare(path(a.Of), path(b.Of))
	})
	counted := 0
	for i := range names {
		switch n := &names[i]; {
		case i == 0 || names[i-1].Node != n.Node:
			counted = i
			first(n)
		case again != nil:
			again(n, &names[counted])
		}
	}
}

const million = 1_000_000

// ShareOf returns the part that n is of the whole, in millionths, rounded.
func ShareOf(n, whole int64) int64 {
	if whole == 0 {
		return 0
	}
	share := new(big.Int).Mul(big.NewInt(n), big.NewInt(2*million))
	share.Add(share, big.NewInt(whole)).Quo(share, new(big.Int).Mul(big.NewInt(2), big.NewInt(whole)))
	return share.Int64()
}
