package main

import (
	"fmt"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
)

// shape is a kind of tree, or of work, with the cases that are measured on it.
type shape struct {
	name    string
	meaning string
	entries int    // in the tree, unless another number is asked for
	fixed   bool   // no other number can be
	made    string // what gen.Make makes
	at      string // where; "tree" if that is not said
	folders bool   // each case has a folder of the tree to itself, of its name
	cases   []benchCase
	// ready reports, before anything is measured, why nothing can be. It may be nil.
	ready func() error
	// mount mounts the tree, in place of making it. It is nil where it is made.
	mount func(tree string) (made string, unmount func(), err error)
	// run measures, where that is done in another way. It is nil for most.
	run func(p *place, o options) error
}

// shapes are all of them.
var shapes = []*shape{startShape, treeShape, flatShape, chainShape, contentShape, textShape, ledgerShape, actShape, recordsShape, coldShape, slowShape, growthShape}

func shapeNamed(name string) (*shape, error) {
	for _, s := range shapes {
		if s.name == name {
			return s, nil
		}
	}
	return nil, fmt.Errorf("there is no shape %s; there are %s", name, shapeWords())
}

// shapeWords lists the shapes.
func shapeWords() string {
	var words []string
	for _, s := range shapes {
		words = append(words, s.name+" ("+s.meaning+")")
	}
	return strings.Join(words, ", ")
}

// prepare makes what is measured on, says what that is, and how it is taken away again.
func (s *shape) prepare(p *place, entries int) (made string, end func(), err error) {
	if s.ready != nil {
		if err := s.ready(); err != nil {
			return "", nil, err
		}
	}
	if s.mount != nil {
		return s.mount(p.tree)
	}
	at := p.tree
	if s.at != "" {
		at = filepath.Join(p.work, s.at)
	}
	out, err := exec.Command(p.self, s.made, strconv.Itoa(entries), at).Output()
	if err != nil {
		return "", nil, fmt.Errorf("make the tree: %w", err)
	}
	return string(out), func() {}, nil
}
