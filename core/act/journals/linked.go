package journals

import (
	"path"

	"frankledger/core/entry"
)

// SameFile returns the other steps about the same file.
func (p *Past) SameFile(s *PastStep) (others []*PastStep) {
	if p.files == nil {
		p.files = map[entry.Node][]*PastStep{}
		for _, one := range p.Steps {
			node := entry.Node{Device: one.Device, Inode: one.Inode}
			p.files[node] = append(p.files[node], one)
		}
	}
	for _, one := range p.files[entry.Node{Device: s.Device, Inode: s.Inode}] {
		if one != s {
			others = append(others, one)
		}
	}
	return others
}

// Member is one of the names that a file had when a step moved it to another disk.
type Member struct {
	Step     *PastStep
	Relative string // in the entry of the step
}

func (m Member) Path() string { return path.Join(string(m.Step.Path), m.Relative) }

// LinkedNames returns the names that files had which steps of a journal moved, by the
// numbers of these files.
func (p *Past) LinkedNames() map[entry.Node][]Member {
	if p.linked != nil {
		return p.linked
	}
	p.linked = map[entry.Node][]Member{}
	for _, s := range p.Steps {
		for rel, one := range s.Linked {
			p.linked[one.Node] = append(p.linked[one.Node], Member{s, rel})
		}
	}
	for _, s := range p.Steps { // and what stayed, as its step failed
		node := entry.Node{Device: s.Device, Inode: s.Inode}
		if known := p.linked[node]; known != nil && s.Linked == nil && s.Kind != entry.KindFolder.String() {
			p.linked[node] = append(known, Member{s, ""})
		}
	}
	return p.linked
}

// LinkedTo returns which file a name belonged to, and how many names that had.
type LinkedTo struct {
	Node  entry.Node
	Names uint64
}

// HeldTimes are times that the other file system did not take as they are.
type HeldTimes struct {
	Relative                   string // to what has them, in what was copied
	Modified, Accessed, Became entry.Time
}
