package act

import (
	"context"
	"errors"
	"fmt"

	"golang.org/x/sys/unix"

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
		shown := s.own.before(st)
		line = appendFacts(line[:0], w.below, w.name, &shown)
		if next >= len(v.prints) || v.prints[next] != printOf(line) {
			return w.inside(errMeanwhile)
		}
		next++
		if st.Kind == entry.KindFolder {
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
	if st.Links < 2 {
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

// discardOwn removes what this program has made itself under a name that nobody
// else would give, if it is there.
func (s *surveyor) discardOwn(at int, name string) error {
	ctx := context.Background() // what was begun is taken away also when it was broken off
	err := s.walk(ctx, at, name, func(w *walk, st *sys.Status) error {
		if w.mounted {
			return w.inside(errMountInside)
		}
		if st.Kind == entry.KindFolder {
			return nil
		}
		return w.inside(s.calls.Unlink(w.at, w.name))
	}, func(w *walk) error { return w.inside(s.calls.RemoveFolder(w.at, w.name)) })
	if gone(err) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("the incomplete copy, %s, could not be removed: %w", name, err)
	}
	return nil
}

// discardAfter removes what was begun, after an error.
func (s *surveyor) discardAfter(err error, at int, name string) error {
	if left := s.discardOwn(at, name); left != nil {
		return fmt.Errorf("%w; %w", err, left)
	}
	return err
}

var errBothDiffer = errors.New("it is in both places, and they differ; nothing that differs was removed")

// dropCopy removes from a copy what is the same where it was copied from, byte by
// byte, and leaves anything else.
func (s *surveyor) dropCopy(ctx context.Context, at int, name string, originalAt int, original string) error {
	others := ladder{calls: s.calls}
	defer others.close()
	base, err := s.calls.OpenFolder(originalAt, ".")
	if err != nil {
		return err
	}
	if err := others.reset(base); err != nil {
		return err
	}
	others.mounts = true
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
			otherName = original
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
			return others.down(otherName)
		}
		same, err := s.sameContent(ctx, w.at, w.name, st, otherAt, otherName, &other)
		if err != nil {
			return err
		}
		if !same {
			kept = true
			return errSkip
		}
		return s.calls.Unlink(w.at, w.name)
	}, func(w *walk) error {
		others.up()
		if err := s.calls.RemoveFolder(w.at, w.name); err != nil && !errors.Is(err, unix.ENOTEMPTY) && !errors.Is(err, unix.EEXIST) {
			return err
		}
		return nil
	})
	if err == nil && kept {
		err = errBothDiffer
	}
	return err
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
