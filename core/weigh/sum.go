// Package weigh sums up entries, in all and folder by folder.
//
// A file with several names is counted once, wherever its names lie: sums are
// of what is there, not of what is listed.
package weigh

import (
	"math"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Sum is a number of entries and the bytes they hold.
type Sum struct {
	Files   int64 // names of files
	Folders int64
	Links   int64
	Others  int64 // pipes, sockets, devices
	Size    int64 // bytes of content, of files, each counted once
	Disk    int64 // bytes allocated on disk, each thing counted once
}

// Entries is how many entries there are.
func (s *Sum) Entries() int64 { return s.Files + s.Folders + s.Links + s.Others }

// Add adds another sum.
func (s *Sum) Add(other Sum) {
	s.Files += other.Files
	s.Folders += other.Folders
	s.Links += other.Links
	s.Others += other.Others
	s.addBytes(other.Size, other.Disk)
}

func (s *Sum) count(kind entry.Kind) {
	switch kind {
	case entry.KindFile:
		s.Files++
	case entry.KindFolder:
		s.Folders++
	case entry.KindLink:
		s.Links++
	default:
		s.Others++
	}
}

func (s *Sum) addBytes(size, disk int64) {
	s.Size = add(s.Size, size)
	s.Disk = add(s.Disk, disk)
}

// add sums without wrapping round: what is past the largest number stays there.
func add(a, b int64) int64 {
	if b > math.MaxInt64-a {
		return math.MaxInt64
	}
	return a + b
}

// node tells one file from every other.
type node struct{ device, inode uint64 }

// Counter is a sink that counts entries and passes them on.
type Counter struct {
	next  source.Sink
	mu    sync.Mutex
	parts []*part
}

type part struct {
	sum   Sum
	named map[node]Sum // bytes of what has several names
}

// NewCounter returns a counter before the next sink.
func NewCounter(next source.Sink) *Counter { return &Counter{next: next} }

// Visitor implements source.Sink.
func (c *Counter) Visitor() source.Visitor {
	p := &part{named: make(map[node]Sum)}
	c.mu.Lock()
	c.parts = append(c.parts, p)
	c.mu.Unlock()
	next := c.next.Visitor()
	return func(entries []entry.Entry) error {
		for i := range entries {
			p.add(&entries[i])
		}
		return next(entries)
	}
}

func (p *part) add(e *entry.Entry) {
	p.sum.count(e.Kind)
	size, disk := bytesOf(e)
	if e.Links > 1 && e.Kind != entry.KindFolder {
		p.named[node{e.Device, e.Inode}] = Sum{Size: size, Disk: disk}
		return
	}
	p.sum.addBytes(size, disk)
}

// bytesOf returns what an entry itself holds.
func bytesOf(e *entry.Entry) (size, disk int64) {
	if e.Kind == entry.KindFile {
		size = e.Size
	}
	return size, e.Disk
}

// Sum returns the sum of all entries that have passed. Bytes are known only if
// the entries' status was.
func (c *Counter) Sum() Sum {
	var sum Sum
	named := make(map[node]Sum)
	for _, p := range c.parts {
		sum.Add(p.sum)
		for node, bytes := range p.named {
			named[node] = bytes
		}
	}
	for _, bytes := range named {
		sum.addBytes(bytes.Size, bytes.Disk)
	}
	return sum
}
