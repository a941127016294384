package copying

import (
	"path"

	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// Files of several names keep them: on the way to another disk, and back.

// Copies tell where the copies are that earlier steps have made of files of several
// names.
type Copies map[entry.Node]*tree.Copied

// Linker gives a name in an open folder to the copy that there is of a file of several
// names, of which this may be the last that is left. It tells whether there is one, and
// whether it has got the name.
type Linker func(w *openat.Walk, st *sys.Status, rel string, at int, name string) (known, named bool)

// NameAgain returns a function that gives another name to such a copy.
func (c Copies) NameAgain(s *tree.Surveyor) Linker {
	return func(w *openat.Walk, st *sys.Status, _ string, at int, name string) (known, named bool) {
		first := c[openat.NodeOf(st)]
		if first == nil || !s.IsSource(w, &first.Of, st, first.Full) {
			return false, false
		}
		other := openat.NewFolders(s.Calls)
		defer other.Close()
		firstAt, firstName, err := other.At(first.Full)
		return true, err == nil && s.Link(first, firstAt, firstName, at, name) == nil
	}
}

// CopiesIn notes where the copies of files of several names are, for later steps.
func (c *Copier) CopiesIn(full string, all Copies) {
	if len(c.Names) == 0 {
		return
	}
	f := openat.NewFolders(c.Calls)
	defer f.Close()
	for n, one := range c.rels {
		one.Full = path.Join(append([]string{full}, one.Relative...)...)
		all[n] = one
	}
	for _, n := range c.Names {
		if one := all[n.Node]; one != nil {
			if one.Of.Links--; one.Of.Links == 0 { // what has this number from now on is something else
				delete(all, n.Node)
			}
		}
	}
	for _, n := range c.Names {
		// It may have got its name only now, which changes its details.
		if one := all[n.Node]; one != nil && (n.Relative == "" || c.rels[n.Node] != nil) {
			if now, err := f.Status(one.Full); err == nil && tree.Alike(&one.St, &now) {
				one.St = now
			}
		}
	}
}

// Several is a name of a file that has others, in what was copied.
type Several struct {
	Relative string
	journals.LinkedTo
}
