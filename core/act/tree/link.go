package tree

import (
	"context"

	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Copied is the copy of a file of several names.
type Copied struct {
	Full     string   // path of one of its names
	Relative []string // to it, in what was copied
	St       sys.Status
	Made     int        // its place in what was made
	Of       sys.Status // what it is a copy of, and how many names that has which were not met yet
}

// Link gives a copy another name: if it is as it was made, or as the last link to it left
// it. Else something else may have its name by now, or have been written to it.
func (s *Surveyor) Link(c *Copied, fromAt int, from string, at int, name string) error {
	now, err := s.Calls.Status(fromAt, from)
	if err == nil && !Unchanged(&c.St, &now) {
		err = ErrMeanwhile
	}
	if err == nil {
		err = s.Calls.NameAgain(fromAt, from, at, name)
	}
	if err != nil {
		return err
	}
	// What was linked is looked at again by its new name.
	linked, err := s.Calls.Status(at, name)
	if err == nil && (openat.NodeOf(&linked) != openat.NodeOf(&c.St) || !Alike(&c.St, &linked)) {
		err = ErrMeanwhile
	}
	if err != nil {
		if linked.Links > 1 { // it stays by the name that it had
			s.Calls.Unlink(at, name)
		}
		return err
	}
	c.St = linked
	return nil
}

// IsSource reports whether an entry is what a copy was made of, by another name, and not
// something that has got its number since. Where the file system does not say when it was
// made, the content has to be the same.
func (s *Surveyor) IsSource(w *openat.Walk, was, st *sys.Status, copied string) bool {
	if st.Kind != was.Kind || st.Size != was.Size || st.Modified != was.Modified || st.Born != was.Born || st.Permissions != was.Permissions || st.UID != was.UID || st.GID != was.GID {
		return false
	}
	if st.Born != (entry.Time{}) {
		return true
	}
	other := openat.NewFolders(s.Calls)
	defer other.Close()
	at, name, err := other.At(copied)
	var made sys.Status
	if err == nil {
		made, err = s.Calls.Status(at, name)
	}
	same := false
	if err == nil {
		same, err = s.SameContent(context.Background(), w.At, w.Name, st, at, name, &made)
	}
	return err == nil && same
}
