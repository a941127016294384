package tree

import (
	"context"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/maphash"
	"os"
	"path"

	"github.com/zeebo/blake3"
	"golang.org/x/sys/unix"

	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// A folder that goes as a whole is surveyed: when the plan is made, and again right
// before anything is done to it. If the two agree, it holds what it held.

// Survey is what is in a folder, at any depth.
type Survey struct {
	plans.Holds
	// Top is the entry itself.
	Top sys.Status
	// Prints has a number for each entry, in the order of a walk, that tells
	// whether it is the same when it is met again.
	Prints []uint64
	// What may not be kept where it is copied to.
	Lists, Attributes, Owners, SetIDs, Specials, Times, Flags, Fixed int64

	Unfit   string                // why the file system there cannot hold some of it; "" if it can
	UnfitAt string                // relative path to that
	Special string                // relative path to the first of the specials
	Stuck   string                // relative path to the first folder that nothing may be taken out of
	Names   map[entry.Node]*Names // of files of several names
	looked  entry.Node            // the folder that was looked at last, whether anything may be taken out of it
	Mounts  []string              // relative paths to what is mounted below
}

// Surveyor surveys folders.
type Surveyor struct {
	Calls    *sys.Calls
	Own      OwnChanges
	Progress *source.Progress
	// To is what can be kept where things are copied to, which is looked at closely then.
	To   *Target
	Mine func(st *sys.Status) bool // whether the owner can be kept
	// Leaving has folders be found that nothing may be taken out of.
	Leaving bool
	// Ours is set where what is removed is this program's own copy.
	Ours bool
	// Each is told of each entry that is surveyed. It may be nil.
	Each func(w *openat.Walk, st *sys.Status)
	// mounts are noted and passed by, rather than making the survey fail.
	NoteMounts bool
}

// MostMounts is how many mounts are named at most.
const MostMounts = 3

// Walk walks through a folder, and counts its progress.
func (s *Surveyor) Walk(ctx context.Context, at int, name string, visit func(w *openat.Walk, st *sys.Status) error, leave func(w *openat.Walk) error) error {
	return openat.WalkIn(ctx, s.Calls, s.Progress, at, name, visit, leave)
}

// Survey walks through a folder, which is the entry of that name, and everything
// in it; nothing that is mounted below is entered.
func (s *Surveyor) Survey(ctx context.Context, at int, name string) (*Survey, error) {
	sum := blake3.New()
	v := &Survey{Names: map[entry.Node]*Names{}}
	var line []byte
	err := s.Walk(ctx, at, name, func(w *openat.Walk, st *sys.Status) error {
		if w.Mounted {
			if len(v.Mounts) <= MostMounts {
				v.Mounts = append(v.Mounts, w.Relative())
			}
			if s.NoteMounts {
				return openat.ErrSkip
			}
			return openat.ErrMountInside
		}
		shown := s.Own.Before(st)
		line = AppendFacts(line[:0], w.Below, w.Name, &shown)
		v.Prints = append(v.Prints, PrintOf(line))
		if w.Below > 0 { // the folder itself is not in it
			sum.Write(line)
			v.Add(&shown)
		} else {
			v.Top = *st
		}
		if s.Each != nil {
			s.Each(w, st)
		}
		if s.Leaving && v.Stuck == "" && w.Below > 0 {
			if err := s.mayLeave(v, w); err != nil {
				return err
			}
		}
		if s.To != nil {
			return s.lookClosely(v, w, st)
		}
		return nil
	}, nil)
	v.Digest = hex.EncodeToString(sum.Sum(nil)[:16])
	if err != nil && !errors.Is(err, context.Canceled) && !errors.Is(err, openat.ErrMountInside) {
		err = fmt.Errorf("%w: %w", errUnread, err)
	}
	return v, err
}

var errUnread = errors.New("something in it could not be read")

// mayLeave notes the folder that an entry is in, if nothing may be taken out of it.
func (s *Surveyor) mayLeave(v *Survey, w *openat.Walk) error {
	if in := w.Handles.Held[len(w.Handles.Held)-1].Node; in == v.looked || os.Geteuid() == 0 {
		return nil
	} else {
		v.looked = in
	}
	err := s.Calls.MayWrite(w.At)
	if errors.Is(err, unix.EACCES) || errors.Is(err, unix.EPERM) || errors.Is(err, unix.EROFS) {
		v.Stuck, err = path.Dir(w.Relative()), nil
	}
	return err
}

// lookClosely counts what may not be kept elsewhere.
func (s *Surveyor) lookClosely(v *Survey, w *openat.Walk, st *sys.Status) error {
	err := s.LookAt(v, openat.Spot{At: w.At, Name: w.Name}, st)
	if v.Unfit != "" && v.UnfitAt == "" {
		v.UnfitAt = w.Relative()
	}
	if v.Specials == 1 && v.Special == "" {
		v.Special = w.Relative()
	}
	return err
}

// LookAt does so for one entry.
func (s *Surveyor) LookAt(v *Survey, at openat.Spot, st *sys.Status) error {
	v.count(st, s.Mine)
	if why := entry.Unfit(s.To.Volume.System, at.Name, st.Kind, st.Size); why != "" && v.Unfit == "" {
		v.Unfit = why
	}
	if !s.To.Volume.Holds(st.Modified.Sec, st.Modified.Nsec) {
		v.Times++
	}
	if st.Kind == entry.KindLink {
		return nil
	}
	all, err := s.Calls.Attributes(at.At, at.Name)
	if err != nil {
		return err
	}
	v.countAttributes(all)
	if st.Fixed {
		v.Fixed++
		v.Flags++
	} else if !s.To.Flags && (st.Kind == entry.KindFile || st.Kind == entry.KindFolder) {
		flags, err := flagsAt(s.Calls, at)
		if err != nil {
			return err
		}
		if flags != 0 {
			v.Flags++
		}
	}
	return nil
}

// count counts what may not be kept elsewhere of one entry.
func (v *Survey) count(st *sys.Status, mine func(st *sys.Status) bool) {
	switch st.Kind {
	case entry.KindFile, entry.KindFolder, entry.KindLink:
	default:
		if !sys.MakesSpecial(st.Kind) {
			v.Specials++
		}
	}
	if !mine(st) {
		v.Owners++
		if st.Permissions&(entry.SetUser|entry.SetGroup) != 0 && st.Kind == entry.KindFile {
			v.SetIDs++
		}
	}
	v.CountNames(st)
}

// CountNames counts the names that were met of files of several names.
func (v *Survey) CountNames(st *sys.Status) {
	if st.Links > 1 && st.Kind != entry.KindFolder {
		of := v.Names[openat.NodeOf(st)]
		if of == nil {
			of = &Names{All: st.Links}
			v.Names[openat.NodeOf(st)] = of
		}
		of.Met++
	}
}

// Names are how many names a file has, and how many of them were met.
type Names struct{ All, Met uint64 }

func (v *Survey) countAttributes(all map[string]string) {
	others := false
	for key := range all {
		switch {
		case key == sys.AccessList || key == sys.DefaultList:
		case IsLabel(key):
		default:
			others = true
		}
	}
	if all[sys.AccessList] != "" || all[sys.DefaultList] != "" {
		v.Lists++
	}
	if others {
		v.Attributes++
	}
}

// AppendFacts appends what an entry is recognised by. The size of what is no file
// differs from one file system to the next, and says nothing.
func AppendFacts(dst []byte, depth int, name string, st *sys.Status) []byte {
	dst = binary.AppendUvarint(dst, uint64(depth))
	dst = binary.AppendUvarint(dst, uint64(len(name)))
	dst = append(dst, name...)
	dst = append(dst, byte(st.Kind))
	dst = binary.AppendUvarint(dst, st.Inode)
	if st.Kind == entry.KindFile {
		dst = binary.AppendVarint(dst, st.Size)
	}
	for _, t := range [...]entry.Time{st.Modified, st.Changed} {
		dst = binary.AppendVarint(dst, t.Sec)
		dst = binary.AppendUvarint(dst, uint64(t.Nsec))
	}
	return dst
}

var printSeed = maphash.MakeSeed()

// PrintOf is a number for what an entry is recognised by, good while the program runs.
func PrintOf(facts []byte) uint64 { return maphash.Bytes(printSeed, facts) }
