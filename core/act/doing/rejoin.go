package doing

import (
	"errors"
	"path"

	"frankledger/core/act/copying"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// parted returns how many files of a step, which is back, are not one file with all of
// their other names again: some of these are not known, or could not be joined.
func (u *Undoing) parted(s *journals.PastStep) (n int) {
	met := map[entry.Node]bool{}
	for rel, one := range s.Linked {
		if !met[one.Node] && u.isParted(s, rel, one.Node) {
			met[one.Node] = true
			n++
		}
	}
	own := entry.Node{Device: s.Device, Inode: s.Inode}
	if s.Linked == nil && u.Past.LinkedNames()[own] != nil && u.isParted(s, "", own) { // others of its names were copied
		n++
	}
	return n
}

// isParted tells so of a file by one of its names. What cannot be looked at may be parted.
func (u *Undoing) isParted(s *journals.PastStep, rel string, node entry.Node) bool {
	st, err := u.To.Status(path.Join(string(s.Path), rel))
	if err != nil {
		return !openat.Gone(err)
	}
	members, names := u.Past.LinkedNames()[node], uint64(0)
	for _, m := range members {
		names = max(names, m.Step.Linked[m.Relative].Names)
	}
	if uint64(len(members)) < names {
		return st.Inode != node.Inode // else it is the very file, which never left
	}
	for _, m := range members {
		other, err := u.To.Status(m.Path())
		if isAway := openat.Gone(err) || errors.Is(err, openat.ErrLink) || errors.Is(err, openat.ErrNoFolderNow); !isAway && (err != nil || openat.NodeOf(&other) != openat.NodeOf(&st)) {
			return true
		}
	}
	return false
}

// rejoined returns a function that gives a file that is being brought back the name of one
// that is back already, or never left: if both were one file, and are the same in all.
func (u *Undoing) rejoined(s *journals.PastStep) copying.Linker {
	before := u.copies.NameAgain(u.Surveyor())
	return func(w *openat.Walk, st *sys.Status, rel string, at int, name string) (known, named bool) {
		if known, named = before(w, st, rel, at, name); named {
			return known, named
		}
		one, linked := s.Linked[rel]
		if !linked {
			return known, false
		}
		for _, m := range u.Past.LinkedNames()[one.Node] {
			if m.Step == s && m.Relative == rel {
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
func (u *Undoing) joinTo(m journals.Member, w *openat.Walk, made *sys.Status, at int, name string) (there, joined bool) {
	other := openat.NewFolders(u.Calls)
	defer other.Close()
	otherAt, otherName, err := other.At(m.Path())
	var st sys.Status
	if err == nil {
		st, err = u.Calls.Status(otherAt, otherName)
	}
	if err != nil { // what cannot be looked at may be there
		return !openat.Gone(err), false
	}
	if made.Kind != st.Kind || openat.NodeOf(&st) == openat.NodeOf(made) {
		return true, false
	}
	alike, err := tree.SameRights(u.Calls, openat.Spot{At: w.At, Name: w.Name}, made, openat.Spot{At: otherAt, Name: otherName}, &st)
	if err != nil || !alike {
		return true, false
	}
	same, err := u.Surveyor().SameContent(u.Ctx, w.At, w.Name, made, otherAt, otherName, &st)
	return true, err == nil && same && u.Surveyor().Link(&tree.Copied{St: st}, otherAt, otherName, at, name) == nil
}
