package sums

import (
	"maps"

	"frankledger/core/entry"
	"frankledger/core/source"
)

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

// Sum returns the sum of all entries that have passed. Bytes are known only if
// the entries' status was.
func (c *Counter) Sum() Sum {
	var all Counting
	for _, p := range c.parts.All() {
		all.Join(p)
	}
	return all.Sum()
}
