package source

import "sync"

// Parts are what the visitors of a sink gather, each a part of its own, so that none
// waits for another. The zero value has none.
type Parts[P any] struct {
	mu  sync.Mutex
	all []*P
}

// New adds a part for another visitor.
func (p *Parts[P]) New(part P) *P {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.all = append(p.all, &part)
	return &part
}

// All returns the parts. It is called when nothing more is read.
func (p *Parts[P]) All() []*P { return p.all }

// Take returns the parts, and leaves none.
func (p *Parts[P]) Take() []*P {
	all := p.all
	p.all = nil
	return all
}
