package sums

import (
	"slices"

	"frankledger/core/entry"
)

// within is what a condition chose: folders, with all that is in them, and other entries.
type within struct {
	folders map[*entry.Folder]struct{}
	inside  map[*entry.Folder]bool // whether a folder is one of them, or lies in one; as far as that was asked
	files   map[*entry.Folder]*Sum
	names   map[place]struct{}
	alone   Sum // bytes of what has several names, and is counted for one that was chosen itself
}

// newWithin returns what is to be joined to that; nil where there is no condition.
func (t *Totals) newWithin() *within {
	if !t.chosen {
		return nil
	}
	return &within{folders: map[*entry.Folder]struct{}{}, inside: map[*entry.Folder]bool{}, files: map[*entry.Folder]*Sum{}, names: map[place]struct{}{}}
}

// join adds what one visitor noted.
func (in *within) join(p *totalsPart) {
	if in == nil {
		return
	}
	for folder := range p.chosen {
		in.folders[folder] = struct{}{}
	}
	for name := range p.names {
		in.names[name] = struct{}{}
	}
	for folder, sum := range p.files {
		if in.files[folder] == nil {
			in.files[folder] = &Sum{}
		}
		in.files[folder].Add(*sum)
	}
}

// holds reports whether a folder is one of those that were chosen, or lies in one.
func (in *within) holds(folder *entry.Folder) bool {
	if folder == nil {
		return false
	}
	held, known := in.inside[folder]
	if !known {
		_, held = in.folders[folder]
		held = held || in.holds(folder.Parent)
		in.inside[folder] = held
	}
	return held
}

// only returns the names that lie in what was chosen, or were chosen.
func (in *within) only(named []Name[place]) []Name[place] {
	if in == nil {
		return named
	}
	return slices.DeleteFunc(named, func(n Name[place]) bool {
		_, chosen := in.names[n.Of]
		return !chosen && !in.holds(n.Of.folder)
	})
}

// count notes for which of its names something is counted.
func (in *within) count(n *Name[place]) {
	if in != nil && !in.holds(n.Of.folder) {
		in.alone.Add(n.Bytes)
	}
}

// sum returns what there is in all that was chosen.
func (in *within) sum(t *Totals) (all Sum) {
	if in == nil {
		return all
	}
	all = in.alone
	for folder := range in.folders {
		if w := t.folders[folder]; w != nil && !in.holds(folder.Parent) {
			all.Add(w.sum)
		}
	}
	for folder, sum := range in.files {
		if !in.holds(folder) {
			all.Add(*sum)
		}
	}
	return all
}
