package tree

import (
	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// OwnChanges are entries that steps have changed themselves: what they were in the
// plan, and what they are since. Only entries of several names are met again.
type OwnChanges map[entry.Node]OwnChange

// OwnChange is what an entry was before this program changed it, and what it was after.
type OwnChange struct{ Before, After sys.Status }

// Before returns what an entry was before this program changed it: if it is as
// that has left it.
func (o OwnChanges) Before(st *sys.Status) sys.Status {
	if c, own := o[openat.NodeOf(st)]; own && Unchanged(&c.After, st) {
		return c.Before
	}
	return *st
}

// Note notes that what was an entry of several names is something else now.
func (o OwnChanges) Note(before, after *sys.Status) {
	if before.Links < 2 || before.Kind == entry.KindFolder {
		return
	}
	o[openat.NodeOf(before)] = OwnChange{o.Before(before), *after}
}

// Unchanged reports whether an entry is as it was: by its inode, size and times, but
// for when it was read.
func Unchanged(a, b *sys.Status) bool {
	return a.Inode == b.Inode && a.Device == b.Device && a.Kind == b.Kind && (a.Kind != entry.KindFile || a.Size == b.Size) && a.Modified == b.Modified && a.Changed == b.Changed
}

// Has reports whether this program has changed an entry.
func (o OwnChanges) Has(st *sys.Status) bool {
	_, own := o[openat.NodeOf(st)]
	return own
}
