package tree

import (
	"context"
	"errors"
	"fmt"

	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// ErrMeanwhile is returned where something else has come in the place of an entry meanwhile.
var ErrMeanwhile = errors.New("it changed meanwhile; the rest was left alone")

// Partly is an error that came when something was done already.
type Partly struct {
	Done, All int64
	Err       error
}

func (p *Partly) Error() string { return p.Err.Error() }
func (p *Partly) Unwrap() error { return p.Err }

// RemoveAll removes an entry with all that is in it, which was surveyed just now:
// as long as each entry is what it was then. Of a folder that something is mounted
// on, the folder itself stays. It returns how many entries it has removed.
func (s *Surveyor) RemoveAll(ctx context.Context, at int, name string, v *Survey, stays bool) (removed int64, err error) {
	next := 0
	var line []byte
	err = s.Walk(ctx, at, name, func(w *openat.Walk, st *sys.Status) error {
		if w.Mounted {
			return w.Inside(openat.ErrMountInside)
		}
		if w.Below == 0 { // it may have another name by now, which is known to be its own
			if openat.NodeOf(st) != openat.NodeOf(&v.Top) {
				return ErrMeanwhile
			}
		} else {
			shown := s.Own.Before(st)
			line = AppendFacts(line[:0], w.Below, w.Name, &shown)
			if next >= len(v.Prints) || v.Prints[next] != PrintOf(line) {
				return w.Inside(ErrMeanwhile)
			}
		}
		next++
		if st.Kind == entry.KindFolder {
			if s.Ours {
				return w.Inside(s.makeWritable(w.At, w.Name, st))
			}
			return nil
		}
		if err := s.Unlink(w.At, w.Name, st); err != nil {
			return w.Inside(err)
		}
		removed++
		return nil
	}, func(w *openat.Walk) error {
		if w.Below == 0 && stays {
			return nil
		}
		if err := s.Calls.RemoveFolder(w.At, w.Name); err != nil {
			return w.Inside(err)
		}
		removed++
		return nil
	})
	return removed, err
}

// Unlink removes a name, and notes what that makes of a file that has others.
func (s *Surveyor) Unlink(at int, name string, st *sys.Status) error {
	if st.Links < 2 || st.Kind == entry.KindFolder {
		return s.Calls.Unlink(at, name)
	}
	held, err := s.Calls.Hold(at, name)
	if err == nil {
		defer s.Calls.Close(held)
	}
	if err := s.Calls.Unlink(at, name); err != nil {
		return err
	}
	if err == nil {
		if after, err := s.Calls.Status(held, ""); err == nil {
			s.Own.Note(st, &after)
		}
	}
	return nil
}

var errBothDiffer = errors.New("it exists in both places, and they differ; nothing that differs was removed")

// DropCopy removes from a copy what is the same where it was copied from, byte by byte, and leaves anything else.
// Meanwhile the copy has a passing name.
func (s *Surveyor) DropCopy(ctx context.Context, made openat.Spot, under string, original openat.Spot) error {
	st, err := s.Calls.Status(made.At, made.Name)
	if err == nil {
		err = s.Aside(made.At, made.Name, under, &st)
	}
	if err != nil {
		return err
	}
	if err = s.drop(ctx, made.At, under, original, false); err != nil {
		if _, left := s.Calls.Status(made.At, under); !openat.Gone(left) {
			err = s.BackAside(err, made.At, made.Name, under)
		}
	}
	return err
}

// drop removes from a copy what is the same in its original, or, of one that was not
// whole, what the original begins with.
func (s *Surveyor) drop(ctx context.Context, at int, name string, original openat.Spot, begun bool) error {
	room := make([]byte, 2*Piece)
	kept := false
	err := openat.WalkBeside(ctx, s.Calls, s.Progress, openat.Spot{At: at, Name: name}, original, func(w *openat.Walk, st *sys.Status, there openat.Spot) error {
		if w.Mounted {
			kept = true
			return openat.ErrSkip
		}
		other, err := s.Calls.Status(there.At, there.Name)
		if err != nil && !openat.Gone(err) {
			return err
		}
		if err != nil || other.Kind != st.Kind {
			kept = true
			return openat.ErrSkip
		}
		if st.Kind == entry.KindFolder {
			return s.makeWritable(w.At, w.Name, st)
		}
		same := false
		if begun && st.Kind == entry.KindFile {
			same, err = s.begins(ctx, openat.Spot{At: w.At, Name: w.Name}, st, there, room)
		} else {
			same, err = s.SameContent(ctx, w.At, w.Name, st, there.At, there.Name, &other)
		}
		if err != nil {
			return err
		}
		if same { // reading took its time, and something else may have the name
			now, err := s.Calls.Status(w.At, w.Name)
			same = err == nil && Unchanged(st, &now)
		}
		if !same {
			kept = true
			return openat.ErrSkip
		}
		return s.Unlink(w.At, w.Name, st)
	}, func(w *openat.Walk) error {
		return ignoreFull(s.Calls.RemoveFolder(w.At, w.Name))
	})
	if err == nil && kept {
		err = errBothDiffer
	}
	return err
}

// begins reports whether a file has no other bytes than those that another begins with.
func (s *Surveyor) begins(ctx context.Context, one openat.Spot, st *sys.Status, other openat.Spot, room []byte) (bool, error) {
	fd, err := s.Calls.OpenFile(one.At, one.Name)
	if err != nil {
		return false, err
	}
	defer s.Calls.Close(fd)
	whole, err := s.Calls.OpenFile(other.At, other.Name)
	if err != nil {
		return false, err
	}
	defer s.Calls.Close(whole)
	return s.SameBytes(ctx, fd, whole, st.Size, room)
}

// SameContent reports whether two entries that are no folders are the same.
func (s *Surveyor) SameContent(ctx context.Context, at int, name string, st *sys.Status, otherAt int, other string, otherSt *sys.Status) (bool, error) {
	switch st.Kind {
	case entry.KindLink:
		a, err := s.Calls.ReadLink(at, name)
		if err != nil {
			return false, err
		}
		b, err := s.Calls.ReadLink(otherAt, other)
		return a == b, err
	case entry.KindFile:
		if st.Size != otherSt.Size {
			return false, nil
		}
		if openat.NodeOf(st) == openat.NodeOf(otherSt) {
			return false, fmt.Errorf("%s: one file under two names", name)
		}
		a, err := s.digest(ctx, at, name)
		if err != nil {
			return false, err
		}
		b, err := s.digest(ctx, otherAt, other)
		return a == b, err
	case entry.KindPipe, entry.KindSocket:
		return true, nil
	}
	return st.Rdev == otherSt.Rdev, nil
}
