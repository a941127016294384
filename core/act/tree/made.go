package tree

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"path"

	"golang.org/x/sys/unix"

	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// A name of no meaning (.frank-TOKEN-N) may stand for what belongs to a person: a spare
// that was swapped, an entry whose names go round, something that was put into a copy.
// So nothing under one is removed before it is known to be what this program put there:
// by what it remembers of it or, after it was killed, by what it is a copy of. What else
// is found there stays, and is reported.

// ErrNotOurs is returned for what has a name of this program and is not what it made.
var ErrNotOurs = errors.New("frank did not put the rest there, and left it alone")

// Made is what a copier has made: an entry, and what a file was when it was whole.
type Made struct {
	What uint64
	Done uint64 // 0 for one that was not whole yet
}

// MadeOf is what was made, by its entry on a walk.
func MadeOf(w *openat.Walk, name string, st *sys.Status) Made {
	if w.Below == 0 {
		name = ""
	}
	m := Made{What: WhatOf(w.Below, name, st)}
	if st.Kind != entry.KindFolder {
		m.Done = DoneOf(st)
	}
	return m
}

// Is reports whether an entry is what was made. The copy itself has got its name since.
func (m Made) Is(w *openat.Walk, st *sys.Status) bool {
	name := w.Name
	if w.Below == 0 {
		name = ""
	}
	return m.What == WhatOf(w.Below, name, st) && (w.Below == 0 || st.Kind == entry.KindFolder || m.Done == DoneOf(st))
}

// IsNamed reports whether what has the name of a copy is that, as it was made.
func (m Made) IsNamed(st *sys.Status) bool {
	return m.What == WhatOf(0, "", st) && (st.Kind == entry.KindFolder || m.Done == DoneOf(st))
}

// WhatOf is a number for which entry something is: by depth, name, inode and kind.
func WhatOf(depth int, name string, st *sys.Status) uint64 {
	line := binary.AppendUvarint(make([]byte, 0, 64), uint64(depth))
	line = binary.AppendUvarint(append(line, name...), st.Inode)
	return PrintOf(append(line, byte(st.Kind)))
}

// DoneOf is a number for what a file is once it is whole: its size and times.
func DoneOf(st *sys.Status) uint64 {
	line := binary.AppendVarint(make([]byte, 0, 64), st.Size)
	for _, t := range [...]entry.Time{st.Modified, st.Changed} {
		line = binary.AppendVarint(line, t.Sec)
		line = binary.AppendUvarint(line, uint64(t.Nsec))
	}
	return PrintOf(line)
}

// DiscardBegun removes what is under a name as far as it is the beginning of a copy of an
// entry: each file has no other bytes than those that its original begins with.
func (s *Surveyor) DiscardBegun(ctx context.Context, at int, name string, original openat.Spot) error {
	if _, err := s.Calls.Status(at, name); openat.Gone(err) {
		return nil
	}
	err := s.drop(ctx, at, name, original, true)
	if errors.Is(err, errBothDiffer) {
		err = ErrNotOurs
	}
	return err
}

// Discard removes an entry with all in it that is ours, and leaves the rest.
func (s *Surveyor) Discard(at int, name string, ours func(w *openat.Walk, st *sys.Status) (bool, error)) error {
	ctx := context.Background() // what was begun is taken away also when it was broken off
	kept := false
	err := s.Walk(ctx, at, name, func(w *openat.Walk, st *sys.Status) error {
		is := false
		if !w.Mounted {
			var err error
			if is, err = ours(w, st); err != nil {
				return w.Inside(err)
			}
		}
		switch {
		case !is:
			kept = true
			return openat.ErrSkip
		case st.Kind == entry.KindFolder:
			return w.Inside(s.makeWritable(w.At, w.Name, st))
		}
		return w.Inside(s.Unlink(w.At, w.Name, st))
	}, func(w *openat.Walk) error {
		return w.Inside(ignoreFull(s.Calls.RemoveFolder(w.At, w.Name)))
	})
	if openat.Gone(err) {
		return nil
	}
	if err == nil && kept {
		err = ErrNotOurs
	}
	return err
}

// ignoreFull ignores that a folder is not empty: then something in it was left.
func ignoreFull(err error) error {
	if errors.Is(err, unix.ENOTEMPTY) || errors.Is(err, unix.EEXIST) {
		return nil
	}
	return err
}

// makeWritable has the names in a folder, which is this program's copy, be removable by
// its owner.
func (s *Surveyor) makeWritable(at int, name string, st *sys.Status) error {
	const owner = 0o700
	if st.Permissions&owner == owner || os.Geteuid() == 0 {
		return nil
	}
	return s.Calls.SetPermissions(at, name, st.Permissions|owner)
}

// Aside gives an entry a passing name, and makes sure that what has it then is what was seen. If it is not, it gets
// its name back.
func (s *Surveyor) Aside(at int, name, under string, seen *sys.Status) error {
	if err := openat.Taken(s.Calls.Rename(at, name, at, under)); err != nil {
		return err
	}
	now, err := s.Calls.Status(at, under)
	if err == nil && !Alike(seen, &now) {
		err = ErrMeanwhile
	}
	if err != nil {
		err = s.BackAside(err, at, name, under)
	}
	return err
}

// BackAside gives an entry its name back after an error, which it returns; it says so if it
// could not. The error of that is no other's cause: it is only in the text.
func (s *Surveyor) BackAside(err error, at int, name, under string) error {
	if back := openat.Taken(s.Calls.Rename(at, under, at, name)); back != nil {
		return fmt.Errorf("%w; its name could not be given back: %v", err, back)
	}
	return err
}

// Alike reports whether an entry is as it was, but for when its details were changed, as
// they are when it gets another name.
func Alike(a, b *sys.Status) bool {
	return a.Inode == b.Inode && a.Device == b.Device && a.Kind == b.Kind && a.Modified == b.Modified && (a.Kind != entry.KindFile || a.Size == b.Size) &&
		a.UID == b.UID && a.GID == b.GID && a.Permissions == b.Permissions
}

// TakeAway removes an entry with all that is in it, which was surveyed just now, from under a passing name: so that
// what may have its name by then stays. Of a folder that something is mounted on, all in it is removed where it is.
// It returns how many entries it has removed. What could not be removed has its name again, unless that is taken.
func (s *Surveyor) TakeAway(ctx context.Context, from openat.Spot, under string, v *Survey, stays bool) (removed int64, err error) {
	if stays {
		return s.RemoveAll(ctx, from.At, from.Name, v, true)
	}
	switch err := s.Aside(from.At, from.Name, under, &v.Top); {
	case errors.Is(err, unix.EXDEV): // overlays cannot rename folders of the layers below
		return s.RemoveAll(ctx, from.At, from.Name, v, false)
	case err != nil:
		return 0, err
	}
	if v.Top.Kind != entry.KindFolder {
		if err = s.Unlink(from.At, under, &v.Top); err == nil {
			return 1, nil
		}
	} else if removed, err = s.RemoveAll(ctx, from.At, under, v, false); err == nil {
		return removed, nil
	}
	return removed, s.BackAside(err, from.At, from.Name, under)
}

// UnlinkLink removes a name of a file, if it is one of a file that has others.
func (s *Surveyor) UnlinkLink(at int, name string, node entry.Node) error {
	st, err := s.Calls.Status(at, name)
	if err == nil && (openat.NodeOf(&st) != node || st.Links < 2) {
		err = ErrNotOurs
	}
	if err == nil {
		err = s.Unlink(at, name, &st)
	}
	return err
}

// ForPassing is what passing names are made with that entries have one after the other, for no longer than it takes
// to remove each: the system is faster with a name that it has met.
const ForPassing = 0

// LeftUnder returns the full path of what is under the passing name of a step, next to the entry or where that goes;
// empty if there is nothing. Under the passing name that is the step's own entry only, unless the step has left
// something there.
func LeftUnder(f *openat.Folders, s *plans.Step, under func(step int) string, number int, passing bool) string {
	for _, full := range []string{string(s.Path), string(s.To)} {
		if full == "" {
			continue
		}
		left := path.Join(path.Dir(full), under(number))
		if _, err := f.Status(left); err == nil {
			return left
		}
		left = path.Join(path.Dir(full), under(ForPassing))
		if st, err := f.Status(left); err == nil && (passing || st.Inode == s.Inode) {
			return left
		}
	}
	return ""
}
