package sums

import (
	"cmp"
	"slices"
	"strings"

	"frankledger/core/entry"
)

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
