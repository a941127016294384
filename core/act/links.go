package act

import (
	"context"
	"errors"
	"path"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Files of several names keep them: on the way to another disk, and back.

// copied is the copy of a file of several names.
type copied struct {
	full string   // path of one of its names
	way  []string // to it, in what was copied
	st   sys.Status
	made int        // its place in what was made
	of   sys.Status // what it is a copy of, and how many names that has which were not met yet
}

// link gives a copy another name: if it is as it was made, or as the last link to it left
// it. Else something else may have its name by now, or have been written to it.
func (s *surveyor) link(c *copied, fromAt int, from string, at int, name string) error {
	now, err := s.calls.Status(fromAt, from)
	if err == nil && !unchanged(&c.st, &now) {
		err = errMeanwhile
	}
	if err == nil {
		err = s.calls.NameAgain(fromAt, from, at, name)
	}
	if err != nil {
		return err
	}
	// What was linked is looked at again by its new name.
	linked, err := s.calls.Status(at, name)
	if err == nil && (nodeOf(&linked) != nodeOf(&c.st) || !alike(&c.st, &linked)) {
		err = errMeanwhile
	}
	if err != nil {
		if linked.Links > 1 { // it stays by the name that it had
			s.calls.Unlink(at, name)
		}
		return err
	}
	c.st = linked
	return nil
}

// copies tell where the copies are that earlier steps have made of files of several
// names.
type copies map[entry.Node]*copied

// linker gives a name in an open folder to the copy that there is of a file of several
// names, of which this may be the last that is left. It tells whether there is one, and
// whether it has got the name.
type linker func(w *walk, st *sys.Status, way string, at int, name string) (known, named bool)

// nameAgain returns a function that gives another name to such a copy.
func (c copies) nameAgain(s *surveyor) linker {
	return func(w *walk, st *sys.Status, _ string, at int, name string) (known, named bool) {
		first := c[nodeOf(st)]
		if first == nil || !s.isSource(w, &first.of, st, first.full) {
			return false, false
		}
		other := newFolders(s.calls)
		defer other.close()
		firstAt, firstName, err := other.at(first.full)
		return true, err == nil && s.link(first, firstAt, firstName, at, name) == nil
	}
}

// isSource reports whether an entry is what a copy was made of, by another name, and not
// something that has got its number since. Where the file system does not say when it was
// made, the content has to be the same.
func (s *surveyor) isSource(w *walk, was, st *sys.Status, copied string) bool {
	if st.Kind != was.Kind || st.Size != was.Size || st.Modified != was.Modified || st.Born != was.Born || st.Permissions != was.Permissions || st.UID != was.UID || st.GID != was.GID {
		return false
	}
	if st.Born != (entry.Time{}) {
		return true
	}
	other := newFolders(s.calls)
	defer other.close()
	at, name, err := other.at(copied)
	var made sys.Status
	if err == nil {
		made, err = s.calls.Status(at, name)
	}
	same := false
	if err == nil {
		same, err = s.sameContent(context.Background(), w.at, w.name, st, at, name, &made)
	}
	return err == nil && same
}

// copiesIn notes where the copies of files of several names are, for later steps.
func (c *copier) copiesIn(full string, all copies) {
	if len(c.names) == 0 {
		return
	}
	f := newFolders(c.calls)
	defer f.close()
	for n, one := range c.ways {
		one.full = path.Join(append([]string{full}, one.way...)...)
		all[n] = one
	}
	for _, n := range c.names {
		if one := all[n.node]; one != nil {
			if one.of.Links--; one.of.Links == 0 { // what has this number from now on is something else
				delete(all, n.node)
			}
		}
	}
	for _, n := range c.names {
		// It may have got its name only now, which changes its details.
		if one := all[n.node]; one != nil && (n.way == "" || c.ways[n.node] != nil) {
			if now, err := f.status(one.full); err == nil && alike(&one.st, &now) {
				one.st = now
			}
		}
	}
}

// member is one of the names that a file had when a step moved it to another disk.
type member struct {
	step *PastStep
	way  string // in the entry of the step
}

func (m member) path() string { return path.Join(string(m.step.Path), m.way) }

// linkedNames returns the names that files had which steps of a journal moved, by the
// numbers of these files.
func (p *Past) linkedNames() map[entry.Node][]member {
	if p.linked != nil {
		return p.linked
	}
	p.linked = map[entry.Node][]member{}
	for _, s := range p.Steps {
		for way, one := range s.linked {
			p.linked[one.node] = append(p.linked[one.node], member{s, way})
		}
	}
	for _, s := range p.Steps { // and what stayed, as its step failed
		node := entry.Node{Device: s.Device, Inode: s.Inode}
		if known := p.linked[node]; known != nil && s.linked == nil && s.Kind != entry.KindFolder.String() {
			p.linked[node] = append(known, member{s, ""})
		}
	}
	return p.linked
}

// parted returns how many files of a step, which is back, are not one file with all of
// their other names again: some of these are not known, or could not be joined.
func (u *undoing) parted(s *PastStep) (n int) {
	met := map[entry.Node]bool{}
	for way, one := range s.linked {
		if !met[one.node] && u.isParted(s, way, one.node) {
			met[one.node] = true
			n++
		}
	}
	own := entry.Node{Device: s.Device, Inode: s.Inode}
	if s.linked == nil && u.past.linkedNames()[own] != nil && u.isParted(s, "", own) { // others of its names were copied
		n++
	}
	return n
}

// isParted tells so of a file by one of its names. What cannot be looked at may be parted.
func (u *undoing) isParted(s *PastStep, way string, node entry.Node) bool {
	st, err := u.to.status(path.Join(string(s.Path), way))
	if err != nil {
		return !gone(err)
	}
	members, names := u.past.linkedNames()[node], uint64(0)
	for _, m := range members {
		names = max(names, m.step.linked[m.way].names)
	}
	if uint64(len(members)) < names {
		return st.Inode != node.Inode // else it is the very file, which never left
	}
	for _, m := range members {
		other, err := u.to.status(m.path())
		if isAway := gone(err) || errors.Is(err, errLink) || errors.Is(err, errNoFolderNow); !isAway && (err != nil || nodeOf(&other) != nodeOf(&st)) {
			return true
		}
	}
	return false
}

// rejoined returns a function that gives a file that is being brought back the name of one
// that is back already, or never left: if both were one file, and are the same in all.
func (u *undoing) rejoined(s *PastStep) linker {
	before := u.copies.nameAgain(u.surveyor())
	return func(w *walk, st *sys.Status, way string, at int, name string) (known, named bool) {
		if known, named = before(w, st, way, at, name); named {
			return known, named
		}
		one, linked := s.linked[way]
		if !linked {
			return known, false
		}
		for _, m := range u.past.linkedNames()[one.node] {
			if m.step == s && m.way == way {
				continue
			}
			is, joined := u.joinTo(m, w, st, at, name)
			if known = known || is; joined {
				return true, true
			}
		}
		return known, false
	}
}

// joinTo gives what has one of the names of a file another one, if it is the same as the
// copy that comes back. It tells whether anything has that name.
func (u *undoing) joinTo(m member, w *walk, made *sys.Status, at int, name string) (there, joined bool) {
	other := newFolders(u.Calls)
	defer other.close()
	otherAt, otherName, err := other.at(m.path())
	var st sys.Status
	if err == nil {
		st, err = u.Calls.Status(otherAt, otherName)
	}
	if err != nil { // what cannot be looked at may be there
		return !gone(err), false
	}
	if made.Kind != st.Kind || nodeOf(&st) == nodeOf(made) {
		return true, false
	}
	alike, err := sameRights(u.Calls, spot{w.at, w.name}, made, spot{otherAt, otherName}, &st)
	if err != nil || !alike {
		return true, false
	}
	same, err := u.surveyor().sameContent(u.ctx, w.at, w.name, made, otherAt, otherName, &st)
	return true, err == nil && same && u.surveyor().link(&copied{st: st}, otherAt, otherName, at, name) == nil
}

// several is a name of a file that has others, in what was copied.
type several struct {
	way string
	linkedTo
}

// linkedTo tells which file a name was one of, and how many names that had.
type linkedTo struct {
	node  entry.Node
	names uint64
}
