package act

import (
	"context"
	"errors"
	"fmt"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

var errMeanwhile = errors.New("it changed in the meantime; the rest was left alone")

// partly is an error that came when something was done already.
type partly struct {
	done, all int64
	err       error
}

func (p *partly) Error() string { return p.err.Error() }
func (p *partly) Unwrap() error { return p.err }

// removeAll removes an entry with all that is in it, which was surveyed just now:
// as long as each entry is what it was then. Of a folder that something is mounted
// on, the folder itself stays. It returns how many entries it has removed.
func (s *surveyor) removeAll(ctx context.Context, at int, name string, v *survey, stays bool) (removed int64, err error) {
	next := 0
	var line []byte
	err = s.walk(ctx, at, name, func(w *walk, st *sys.Status) error {
		if w.mounted {
			return w.inside(errMountInside)
		}
		if w.below == 0 { // it may have another name by now, which is known to be its own
			if nodeOf(st) != nodeOf(&v.top) {
				return errMeanwhile
			}
		} else {
			shown := s.own.before(st)
			line = appendFacts(line[:0], w.below, w.name, &shown)
			if next >= len(v.prints) || v.prints[next] != printOf(line) {
				return w.inside(errMeanwhile)
			}
		}
		next++
		if st.Kind == entry.KindFolder {
			if s.ours {
				return w.inside(s.makeWritable(w.at, w.name, st))
			}
			return nil
		}
		if err := s.unlink(w.at, w.name, st); err != nil {
			return w.inside(err)
		}
		removed++
		return nil
	}, func(w *walk) error {
		if w.below == 0 && stays {
			return nil
		}
		if err := s.calls.RemoveFolder(w.at, w.name); err != nil {
			return w.inside(err)
		}
		removed++
		return nil
	})
	return removed, err
}

// unlink removes a name, and notes what that makes of a file that has others.
func (s *surveyor) unlink(at int, name string, st *sys.Status) error {
	if st.Links < 2 || st.Kind == entry.KindFolder {
		return s.calls.Unlink(at, name)
	}
	held, err := s.calls.Hold(at, name)
	if err == nil {
		defer s.calls.Close(held)
	}
	if err := s.calls.Unlink(at, name); err != nil {
		return err
	}
	if err == nil {
		if after, err := s.calls.Status(held, ""); err == nil {
			s.own.note(st, &after)
		}
	}
	return nil
}

var errBothDiffer = errors.New("it is in both places, and they differ; nothing that differs was removed")

// dropCopy removes from a copy what is the same where it was copied from, byte by byte,
// and leaves anything else. Meanwhile the copy has a name of no meaning.
func (s *surveyor) dropCopy(ctx context.Context, made spot, under string, original spot) error {
	st, err := s.calls.Status(made.at, made.name)
	if err == nil {
		err = s.aside(made.at, made.name, under, &st)
	}
	if err != nil {
		return err
	}
	if err = s.drop(ctx, made.at, under, original, false); err != nil {
		if _, left := s.calls.Status(made.at, under); !gone(left) {
			err = s.backAside(err, made.at, made.name, under)
		}
	}
	return err
}

// drop removes from a copy what is the same in its original, or, of one that was not
// whole, what the original begins with.
func (s *surveyor) drop(ctx context.Context, at int, name string, original spot, begun bool) error {
	others := ladder{calls: s.calls, mounts: true}
	defer others.close()
	base, err := s.calls.OpenFolder(original.at, ".")
	if err == nil {
		err = others.reset(base)
	}
	if err != nil {
		return err
	}
	room := make([]byte, 2*piece)
	kept := false
	err = s.walk(ctx, at, name, func(w *walk, st *sys.Status) error {
		if w.mounted {
			kept = true
			return errSkip
		}
		otherAt, err := others.fd()
		if err != nil {
			return err
		}
		otherName := w.name
		if w.below == 0 {
			otherName = original.name
		}
		other, err := s.calls.Status(otherAt, otherName)
		if err != nil && !gone(err) {
			return err
		}
		if err != nil || other.Kind != st.Kind {
			kept = true
			return errSkip
		}
		if st.Kind == entry.KindFolder {
			if err := s.makeWritable(w.at, w.name, st); err != nil {
				return err
			}
			return others.down(otherName)
		}
		same := false
		if begun && st.Kind == entry.KindFile {
			same, err = s.begins(ctx, spot{w.at, w.name}, st, spot{otherAt, otherName}, room)
		} else {
			same, err = s.sameContent(ctx, w.at, w.name, st, otherAt, otherName, &other)
		}
		if err != nil {
			return err
		}
		if same { // reading took its time, and something else may have the name
			now, err := s.calls.Status(w.at, w.name)
			same = err == nil && unchanged(st, &now)
		}
		if !same {
			kept = true
			return errSkip
		}
		return s.unlink(w.at, w.name, st)
	}, func(w *walk) error {
		others.up()
		return ignoreFull(s.calls.RemoveFolder(w.at, w.name))
	})
	if err == nil && kept {
		err = errBothDiffer
	}
	return err
}

// begins reports whether a file has no other bytes than those that another begins with.
func (s *surveyor) begins(ctx context.Context, one spot, st *sys.Status, other spot, room []byte) (bool, error) {
	fd, err := s.calls.OpenFile(one.at, one.name)
	if err != nil {
		return false, err
	}
	defer s.calls.Close(fd)
	whole, err := s.calls.OpenFile(other.at, other.name)
	if err != nil {
		return false, err
	}
	defer s.calls.Close(whole)
	return s.sameBytes(ctx, fd, whole, st.Size, room)
}

// sameContent reports whether two entries that are no folders are the same.
func (s *surveyor) sameContent(ctx context.Context, at int, name string, st *sys.Status, otherAt int, other string, otherSt *sys.Status) (bool, error) {
	switch st.Kind {
	case entry.KindLink:
		a, err := s.calls.ReadLink(at, name)
		if err != nil {
			return false, err
		}
		b, err := s.calls.ReadLink(otherAt, other)
		return a == b, err
	case entry.KindFile:
		if st.Size != otherSt.Size {
			return false, nil
		}
		if nodeOf(st) == nodeOf(otherSt) {
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
