package tree

import (
	"bytes"
	"context"
	"errors"
	"io"
	"maps"

	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// How a file, or a folder, is not the same as another.
var (
	ErrNotSpare   = errors.New("its content differs from the file that stays")
	ErrOtherOwner = errors.New("its owner, group, permissions or attributes differ from the file that stays, and one file can have only one of each")
)

// SameRights reports whether two files have the same owner, permissions, attributes and
// flags.
func SameRights(calls *sys.Calls, one openat.Spot, st *sys.Status, other openat.Spot, otherSt *sys.Status) (bool, error) {
	if st.UID != otherSt.UID || st.GID != otherSt.GID || st.Permissions != otherSt.Permissions {
		return false, nil
	}
	a, err := calls.Attributes(one.At, one.Name)
	if err != nil {
		return false, err
	}
	b, err := calls.Attributes(other.At, other.Name)
	if err != nil || !maps.Equal(a, b) || st.Kind != entry.KindFile && st.Kind != entry.KindFolder {
		return err == nil && maps.Equal(a, b), err
	}
	flags, err := flagsAt(calls, one)
	if err != nil {
		return false, err
	}
	others, err := flagsAt(calls, other)
	return flags == others, err
}

// flagsAt returns the flags of a file or folder, as far as they are not about how its file
// system keeps it.
func flagsAt(calls *sys.Calls, at openat.Spot) (uint32, error) {
	fd, err := calls.OpenFile(at.At, at.Name)
	if err != nil {
		return 0, err
	}
	defer calls.Close(fd)
	flags, err := calls.Flags(fd)
	return flags &^ sys.FlagsKeeping, IgnoreNone(err)
}

// SameBytes reports whether two open files of some size have the same bytes.
func (s *Surveyor) SameBytes(ctx context.Context, one, other int, size int64, room []byte) (bool, error) {
	fill := func(fd int, to []byte) (int, error) {
		done := 0
		for done < len(to) {
			n, err := s.Calls.Read(fd, to[done:])
			if err == io.EOF {
				break
			}
			if err != nil {
				return done, err
			}
			done += n
		}
		return done, nil
	}
	for left := size; left > 0; {
		if err := ctx.Err(); err != nil {
			return false, err
		}
		n := int(min(left, int64(len(room)/2)))
		a, b := room[:n], room[len(room)/2:len(room)/2+n]
		if got, err := fill(one, a); err != nil || got < n {
			return false, err
		}
		if got, err := fill(other, b); err != nil || got < n {
			return false, err
		}
		if !bytes.Equal(a, b) {
			return false, nil
		}
		if s.Progress != nil {
			s.Progress.Read.Add(int64(2 * n))
		}
		left -= int64(n)
	}
	return true, nil
}

// IsIn returns an error unless a folder, which was surveyed just now, has nothing but what
// another has too, by the same names: files with the same bytes, links that say the same.
// If it is told which times became others when it was copied, by their relative paths, all else has
// to be the same, too: times of modification, owners, permissions and attributes.
func (s *Surveyor) IsIn(ctx context.Context, from openat.Spot, v *Survey, other openat.Spot, room []byte, became map[string]entry.Time) error {
	next := 0
	var line []byte
	return openat.WalkBeside(ctx, s.Calls, s.Progress, from, other, func(w *openat.Walk, st *sys.Status, spot openat.Spot) error {
		if w.Mounted {
			return w.Inside(openat.ErrMountInside)
		}
		shown := s.Own.Before(st)
		if line = AppendFacts(line[:0], w.Below, w.Name, &shown); next >= len(v.Prints) || v.Prints[next] != PrintOf(line) {
			return w.Inside(openat.ErrChanged)
		}
		next++
		there, err := s.Calls.Status(spot.At, spot.Name)
		switch {
		case openat.Gone(err):
			return w.Inside(plans.ErrNoKeeper)
		case err != nil:
			return w.Inside(err)
		case openat.NodeOf(&there) == openat.NodeOf(st) && st.Kind == entry.KindFolder:
			return w.Inside(plans.ErrSameFile)
		case there.Kind != st.Kind || st.Kind == entry.KindFile && there.Size != st.Size:
			return w.Inside(ErrNotSpare)
		}
		if became != nil {
			shown := there
			if as, other := became[w.RelativeTo()]; other && st.Modified == as {
				shown.Modified = as
			}
			if err := s.alikeInAll(w, st, spot, &shown); err != nil {
				return w.Inside(err)
			}
		}
		if st.Kind == entry.KindFolder {
			return nil
		}
		return w.Inside(s.isCopy(ctx, w, st, spot, &there, room))
	}, nil)
}

// alikeInAll returns an error unless two entries have the same time of modification, owner,
// permissions and attributes.
func (s *Surveyor) alikeInAll(w *openat.Walk, st *sys.Status, other openat.Spot, there *sys.Status) error {
	if st.Modified != there.Modified {
		return ErrNotSpare
	}
	if st.Kind == entry.KindLink {
		if st.UID != there.UID || st.GID != there.GID {
			return ErrOtherOwner
		}
		return nil
	}
	alike, err := SameRights(s.Calls, openat.Spot{At: w.At, Name: w.Name}, st, other, there)
	if err == nil && !alike {
		err = ErrOtherOwner
	}
	return err
}

// isCopy returns an error unless an entry, which is no folder, is the same as another.
func (s *Surveyor) isCopy(ctx context.Context, w *openat.Walk, st *sys.Status, spot openat.Spot, there *sys.Status, room []byte) error {
	switch st.Kind {
	case entry.KindLink:
		one, err := s.Calls.ReadLink(w.At, w.Name)
		if err != nil {
			return err
		}
		other, err := s.Calls.ReadLink(spot.At, spot.Name)
		if err == nil && one != other {
			err = ErrNotSpare
		}
		return err
	case entry.KindPipe, entry.KindSocket:
		return nil
	case entry.KindFile:
	default:
		return ErrNotSpare
	}
	if openat.NodeOf(st) == openat.NodeOf(there) {
		return nil // it stays by its other name
	}
	var fds [2]int
	for i, one := range []struct {
		at    int
		name  string
		st    *sys.Status
		other error
	}{{w.At, w.Name, st, openat.ErrChanged}, {spot.At, spot.Name, there, plans.ErrKeeper}} {
		fd, err := s.Calls.OpenFile(one.at, one.name)
		if err != nil {
			return err
		}
		defer s.Calls.Close(fd)
		fds[i] = fd
		now, err := s.Calls.Status(fd, "")
		if err == nil && !Unchanged(one.st, &now) {
			err = one.other
		}
		if err != nil {
			return err
		}
	}
	same, err := s.SameBytes(ctx, fds[0], fds[1], st.Size, room)
	if err == nil && !same {
		err = ErrNotSpare
	}
	if err != nil {
		return err
	}
	if now, err := s.Calls.Status(fds[1], ""); err != nil || !Unchanged(there, &now) {
		return errors.Join(err, plans.ErrKeeper)
	}
	if now, err := s.Calls.Status(fds[0], ""); err != nil || !Unchanged(st, &now) {
		return errors.Join(err, openat.ErrChanged)
	}
	return nil
}
