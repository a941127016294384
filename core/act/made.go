package act

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"path"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// A name of no meaning (.frank-TOKEN-N) may stand for what belongs to a person: a spare
// that was swapped, an entry whose names go round, something that was put into a copy.
// So nothing under one is removed before it is known to be what this program put there:
// by what it remembers of it or, after it was killed, by what it is a copy of. What else
// is found there stays, and is reported.

var errNotOurs = errors.New("the rest is not what this program put there, and was left alone")

// made is what a copier has made: an entry, and what a file was when it was whole.
type made struct {
	what uint64
	done uint64 // 0 for one that was not whole yet
}

func madeOf(w *walk, name string, st *sys.Status) made {
	if w.below == 0 {
		name = ""
	}
	m := made{what: whatOf(w.below, name, st)}
	if st.Kind != entry.KindFolder {
		m.done = doneOf(st)
	}
	return m
}

// is reports whether an entry is what was made. The copy itself has got its name since.
func (m made) is(w *walk, st *sys.Status) bool {
	name := w.name
	if w.below == 0 {
		name = ""
	}
	return m.what == whatOf(w.below, name, st) && (w.below == 0 || st.Kind == entry.KindFolder || m.done == doneOf(st))
}

// isNamed reports whether what has the name of a copy is that, as it was made.
func (m made) isNamed(st *sys.Status) bool {
	return m.what == whatOf(0, "", st) && (st.Kind == entry.KindFolder || m.done == doneOf(st))
}

func whatOf(depth int, name string, st *sys.Status) uint64 {
	line := binary.AppendUvarint(make([]byte, 0, 64), uint64(depth))
	line = binary.AppendUvarint(append(line, name...), st.Inode)
	return printOf(append(line, byte(st.Kind)))
}

func doneOf(st *sys.Status) uint64 {
	line := binary.AppendVarint(make([]byte, 0, 64), st.Size)
	for _, t := range [...]entry.Time{st.Modified, st.Changed} {
		line = binary.AppendVarint(line, t.Sec)
		line = binary.AppendUvarint(line, uint64(t.Nsec))
	}
	return printOf(line)
}

// discardMade removes what the last copy has made under a name.
func (c *copier) discardMade(at int, name string) error {
	known := make(map[uint64]uint64, len(c.made))
	for _, m := range c.made {
		known[m.what] = m.done
	}
	return c.discard(at, name, func(w *walk, st *sys.Status) (ours bool, err error) {
		name := w.name
		if w.below == 0 {
			name = ""
		}
		done, made := known[whatOf(w.below, name, st)]
		return made && (st.Kind == entry.KindFolder || done == 0 || done == doneOf(st)), nil
	})
}

// discardMadeAfter removes what was begun, after an error. What it does not remember, as
// that came right then, it knows by the original.
func (c *copier) discardMadeAfter(err error, at int, name string, original spot) error {
	left := c.discardMade(at, name)
	if left != nil {
		left = c.discardBegun(context.Background(), at, name, original)
	}
	return errors.Join(err, left)
}

// discardBegun removes what is under a name as far as it is the beginning of a copy of an
// entry: each file has no other bytes than those that its original begins with.
func (s *surveyor) discardBegun(ctx context.Context, at int, name string, original spot) error {
	if _, err := s.calls.Status(at, name); gone(err) {
		return nil
	}
	err := s.drop(ctx, at, name, original, true)
	if errors.Is(err, errBothDiffer) {
		err = errNotOurs
	}
	return err
}

// discard removes an entry with all in it that is ours, and leaves the rest.
func (s *surveyor) discard(at int, name string, ours func(w *walk, st *sys.Status) (bool, error)) error {
	ctx := context.Background() // what was begun is taken away also when it was broken off
	kept := false
	err := s.walk(ctx, at, name, func(w *walk, st *sys.Status) error {
		is := false
		if !w.mounted {
			var err error
			if is, err = ours(w, st); err != nil {
				return w.inside(err)
			}
		}
		switch {
		case !is:
			kept = true
			return errSkip
		case st.Kind == entry.KindFolder:
			return w.inside(s.makeWritable(w.at, w.name, st))
		}
		return w.inside(s.unlink(w.at, w.name, st))
	}, func(w *walk) error {
		return w.inside(ignoreFull(s.calls.RemoveFolder(w.at, w.name)))
	})
	if gone(err) {
		return nil
	}
	if err == nil && kept {
		err = errNotOurs
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
func (s *surveyor) makeWritable(at int, name string, st *sys.Status) error {
	const owner = 0o700
	if st.Permissions&owner == owner || os.Geteuid() == 0 {
		return nil
	}
	return s.calls.SetPermissions(at, name, st.Permissions|owner)
}

// aside gives an entry a name of no meaning, and makes sure that what has it then is what
// was seen. If it is not, it gets its name back.
func (s *surveyor) aside(at int, name, under string, seen *sys.Status) error {
	if err := taken(s.calls.Rename(at, name, at, under)); err != nil {
		return err
	}
	now, err := s.calls.Status(at, under)
	if err == nil && !alike(seen, &now) {
		err = errMeanwhile
	}
	if err != nil {
		err = s.backAside(err, at, name, under)
	}
	return err
}

// backAside gives an entry its name back after an error, which it returns; it says so if it
// could not. The error of that is no other's cause: it is only in the text.
func (s *surveyor) backAside(err error, at int, name, under string) error {
	if back := taken(s.calls.Rename(at, under, at, name)); back != nil {
		return fmt.Errorf("%w; its name could not be given back: %v", err, back)
	}
	return err
}

// alike reports whether an entry is as it was, but for when its details were changed, as
// they are when it gets another name.
func alike(a, b *sys.Status) bool {
	return a.Inode == b.Inode && a.Device == b.Device && a.Kind == b.Kind && a.Modified == b.Modified && (a.Kind != entry.KindFile || a.Size == b.Size) &&
		a.UID == b.UID && a.GID == b.GID && a.Permissions == b.Permissions
}

// takeAway removes an entry with all that is in it, which was surveyed just now, from
// under a name of no meaning: so that what may have its name by then stays. Of a folder
// that something is mounted on, all in it is removed where it is. It returns how many
// entries it has removed. What could not be removed has its name again, unless that is
// taken.
func (s *surveyor) takeAway(ctx context.Context, from spot, under string, v *survey, stays bool) (removed int64, err error) {
	if stays {
		return s.removeAll(ctx, from.at, from.name, v, true)
	}
	switch err := s.aside(from.at, from.name, under, &v.top); {
	case errors.Is(err, unix.EXDEV): // overlays cannot rename folders of the layers below
		return s.removeAll(ctx, from.at, from.name, v, false)
	case err != nil:
		return 0, err
	}
	if v.top.Kind != entry.KindFolder {
		if err = s.unlink(from.at, under, &v.top); err == nil {
			return 1, nil
		}
	} else if removed, err = s.removeAll(ctx, from.at, under, v, false); err == nil {
		return removed, nil
	}
	return removed, s.backAside(err, from.at, from.name, under)
}

// unlinkLink removes a name of a file, if it is one of a file that has others.
func (s *surveyor) unlinkLink(at int, name string, node entry.Node) error {
	st, err := s.calls.Status(at, name)
	if err == nil && (nodeOf(&st) != node || st.Links < 2) {
		err = errNotOurs
	}
	if err == nil {
		err = s.unlink(at, name, &st)
	}
	return err
}

// forPassing is what names of no meaning are made with that entries have one after the other, for
// no longer than it takes to remove each: the system is faster with a name that it has met.
const forPassing = 0

// leftUnder returns the full path of what is under the name of no meaning of a step, beside
// the entry or where that goes; empty if there is nothing. Under the name for passing that is the
// step's own entry only, unless the step has left something there.
func leftUnder(f *folders, s *Step, under func(step int) string, number int, passing bool) string {
	for _, full := range []string{string(s.Path), string(s.To)} {
		if full == "" {
			continue
		}
		left := path.Join(path.Dir(full), under(number))
		if _, err := f.status(left); err == nil {
			return left
		}
		left = path.Join(path.Dir(full), under(forPassing))
		if st, err := f.status(left); err == nil && (passing || st.Inode == s.Inode) {
			return left
		}
	}
	return ""
}
