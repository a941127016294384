package act

import (
	"context"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/maphash"
	"os"
	"path"
	"slices"

	"github.com/zeebo/blake3"
	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/quantity"
	"frankledger/core/source"
)

// A folder that goes as a whole is surveyed: when the plan is made, and again right
// before anything is done to it. If the two agree, it holds what it held.

// survey is what there is in a folder, at any depth.
type survey struct {
	Holds
	// top is the entry itself.
	top sys.Status
	// prints has a number for each entry, in the order of a walk, that tells
	// whether it is the same when it is met again.
	prints []uint64
	// What may not be kept where it is copied to.
	lists, attributes, owners, setIDs, specials, times, flags, fixed int64

	special string                // way to the first of the specials
	stuck   string                // way to the first folder that nothing may be taken out of
	names   map[entry.Node]*names // of files of several names
	looked  entry.Node            // the folder that was looked at last, whether anything may be taken out of it
	mounts  []string              // ways to what is mounted below
}

// surveyor surveys folders.
type surveyor struct {
	calls    *sys.Calls
	own      ownChanges
	progress *source.Progress
	// to is what can be kept where things are copied to, which is looked at closely then.
	to   *target
	mine func(st *sys.Status) bool // whether the owner can be kept
	// leaving has folders be found that nothing may be taken out of.
	leaving bool
	// ours is set where what is removed is this program's own copy.
	ours bool
	// each is told of each entry that is surveyed. It may be nil.
	each func(w *walk, st *sys.Status)
	// mounts are noted and passed by, rather than making the survey fail.
	noteMounts bool
}

// most mounts that are named.
const mostMounts = 3

// survey walks through a folder, which is the entry of that name, and everything
// in it; nothing that is mounted below is entered.
func (s *surveyor) survey(ctx context.Context, at int, name string) (*survey, error) {
	sum := blake3.New()
	v := &survey{names: map[entry.Node]*names{}}
	var line []byte
	err := s.walk(ctx, at, name, func(w *walk, st *sys.Status) error {
		if w.mounted {
			if len(v.mounts) <= mostMounts {
				v.mounts = append(v.mounts, w.way())
			}
			if s.noteMounts {
				return errSkip
			}
			return errMountInside
		}
		shown := s.own.before(st)
		line = appendFacts(line[:0], w.below, w.name, &shown)
		v.prints = append(v.prints, printOf(line))
		if w.below > 0 { // the folder itself is not in it
			sum.Write(line)
			v.add(&shown)
		} else {
			v.top = *st
		}
		if s.each != nil {
			s.each(w, st)
		}
		if s.leaving && v.stuck == "" && w.below > 0 {
			if err := s.mayLeave(v, w); err != nil {
				return err
			}
		}
		if s.to != nil {
			return s.lookClosely(v, w, st)
		}
		return nil
	}, nil)
	v.Digest = hex.EncodeToString(sum.Sum(nil)[:16])
	if err != nil && !errors.Is(err, context.Canceled) && !errors.Is(err, errMountInside) {
		err = fmt.Errorf("%w: %w", errUnread, err)
	}
	return v, err
}

var errUnread = errors.New("not all that is in it could be read")

// mayLeave notes the folder that an entry is in, if nothing may be taken out of it.
func (s *surveyor) mayLeave(v *survey, w *walk) error {
	if in := w.ladder.rungs[len(w.ladder.rungs)-1].node; in == v.looked || os.Geteuid() == 0 {
		return nil
	} else {
		v.looked = in
	}
	err := s.calls.MayWrite(w.at)
	if errors.Is(err, unix.EACCES) || errors.Is(err, unix.EPERM) || errors.Is(err, unix.EROFS) {
		v.stuck, err = path.Dir(w.way()), nil
	}
	return err
}

// lookClosely counts what may not be kept elsewhere.
func (s *surveyor) lookClosely(v *survey, w *walk, st *sys.Status) error {
	err := s.lookAt(v, spot{w.at, w.name}, st)
	if v.specials == 1 && v.special == "" {
		v.special = w.way()
	}
	return err
}

// lookAt does so for one entry.
func (s *surveyor) lookAt(v *survey, at spot, st *sys.Status) error {
	v.count(st, s.mine)
	if !s.to.volume.Holds(st.Modified.Sec, st.Modified.Nsec) {
		v.times++
	}
	if st.Kind == entry.KindLink {
		return nil
	}
	all, err := s.calls.Attributes(at.at, at.name)
	if err != nil {
		return err
	}
	v.countAttributes(all)
	if st.Fixed {
		v.fixed++
		v.flags++
	} else if !s.to.flags && (st.Kind == entry.KindFile || st.Kind == entry.KindFolder) {
		flags, err := flagsAt(s.calls, at)
		if err != nil {
			return err
		}
		if flags != 0 {
			v.flags++
		}
	}
	return nil
}

// count counts what may not be kept elsewhere of one entry.
func (v *survey) count(st *sys.Status, mine func(st *sys.Status) bool) {
	switch st.Kind {
	case entry.KindFile, entry.KindFolder, entry.KindLink:
	default:
		if !sys.MakesSpecial(st.Kind) {
			v.specials++
		}
	}
	if !mine(st) {
		v.owners++
		if st.Permissions&(entry.SetUser|entry.SetGroup) != 0 && st.Kind == entry.KindFile {
			v.setIDs++
		}
	}
	v.countNames(st)
}

// countNames counts the names that were met of files of several names.
func (v *survey) countNames(st *sys.Status) {
	if st.Links > 1 && st.Kind != entry.KindFolder {
		of := v.names[nodeOf(st)]
		if of == nil {
			of = &names{all: st.Links}
			v.names[nodeOf(st)] = of
		}
		of.met++
	}
}

// names are how many names a file has, and how many of them were met.
type names struct{ all, met uint64 }

func (v *survey) countAttributes(all map[string]string) {
	others := false
	for key := range all {
		switch {
		case key == sys.AccessList || key == sys.DefaultList:
		case isLabel(key):
		default:
			others = true
		}
	}
	if all[sys.AccessList] != "" || all[sys.DefaultList] != "" {
		v.lists++
	}
	if others {
		v.attributes++
	}
}

func (h *Holds) add(st *sys.Status) {
	h.Entries++
	if st.Kind == entry.KindFile {
		h.Size = quantity.Add(h.Size, st.Size)
	}
	h.Newest = later(later(h.Newest, exact.Time(st.Modified)), exact.Time(st.Changed))
}

func later(a, b exact.Time) exact.Time {
	if entry.Time(a).Compare(entry.Time(b)) < 0 {
		return b
	}
	return a
}

// appendFacts appends what an entry is recognised by. The size of what is no file
// differs from one file system to the next, and says nothing.
func appendFacts(dst []byte, depth int, name string, st *sys.Status) []byte {
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

func printOf(facts []byte) uint64 { return maphash.Bytes(printSeed, facts) }

// ownChanges are entries that steps have changed themselves: what they were in the
// plan, and what they are since. Only entries of several names are met again.
type ownChanges map[entry.Node]ownChange

type ownChange struct{ before, after sys.Status }

// before returns what an entry was before this program changed it: if it is as
// that has left it.
func (o ownChanges) before(st *sys.Status) sys.Status {
	if c, own := o[nodeOf(st)]; own && unchanged(&c.after, st) {
		return c.before
	}
	return *st
}

// note notes that what was an entry of several names is something else now.
func (o ownChanges) note(before, after *sys.Status) {
	if before.Links < 2 || before.Kind == entry.KindFolder {
		return
	}
	o[nodeOf(before)] = ownChange{o.before(before), *after}
}

// unchanged reports whether an entry is as it was: by its inode, size and times, but
// for when it was read.
func unchanged(a, b *sys.Status) bool {
	return a.Inode == b.Inode && a.Device == b.Device && a.Kind == b.Kind && (a.Kind != entry.KindFile || a.Size == b.Size) && a.Modified == b.Modified && a.Changed == b.Changed
}

// errSkip, from the function that a walk calls, has it not go into a folder.
var errSkip = errors.New("not read")

// walk is a walk through a folder, in the order of the names.
type walk struct {
	surveyor *surveyor
	ladder   ladder
	names    [][]string // still to come, of each folder
	at       int        // open folder that the entry is in
	name     string
	mounted  bool // the entry is on another mount than the folder it is in
	below    int  // how deep the entry lies: 0 for the first one
}

// wayTo returns the way from the first one to the entry; empty for that itself.
func (w *walk) wayTo() string {
	if w.below == 0 {
		return ""
	}
	return w.way()
}

// way returns the way from the first one to the entry.
func (w *walk) way() string {
	way := ""
	for i, r := range w.ladder.rungs {
		if i > 1 { // after the folder that the first one is in, and that one
			way += r.name + "/"
		}
	}
	if w.below == 0 {
		return w.name
	}
	return way + w.name
}

// walk calls a function for the entry of a name and, before what is in it, for
// everything in it; and another, if it is given, for each folder after what is in
// it. The folder at is not closed.
func (s *surveyor) walk(ctx context.Context, at int, name string, visit func(w *walk, st *sys.Status) error, leave func(w *walk) error) error {
	w := &walk{surveyor: s, ladder: ladder{calls: s.calls}}
	defer w.ladder.close()
	base, err := s.calls.OpenFolder(at, ".")
	if err != nil {
		return err
	}
	if err := w.ladder.reset(base); err != nil {
		return err
	}
	w.at, w.name = base, name
	st, err := s.calls.Status(base, name)
	if err != nil {
		return err
	}
	w.ladder.rungs[0].mount = st.Mount // what is mounted on the first one itself is entered
	if err := visit(w, &st); err != nil {
		if err == errSkip {
			err = nil
		}
		return err
	}
	if st.Kind != entry.KindFolder {
		return nil
	}
	if err := w.into(); err != nil {
		return err
	}
	for len(w.names) > 0 {
		if err := ctx.Err(); err != nil {
			return err
		}
		last := len(w.names) - 1
		if len(w.names[last]) == 0 {
			if err := w.out(leave); err != nil {
				return err
			}
			continue
		}
		if w.at, err = w.ladder.fd(); err != nil {
			return err
		}
		w.name, w.names[last] = w.names[last][0], w.names[last][1:]
		w.below = len(w.names)
		st, err := s.calls.Status(w.at, w.name)
		if err != nil {
			return w.inside(err)
		}
		if s.progress != nil {
			s.progress.Entries.Add(1)
		}
		w.mounted = st.Mount != w.ladder.rungs[len(w.ladder.rungs)-1].mount
		switch err := visit(w, &st); {
		case err == errSkip:
			continue
		case err != nil:
			return err
		}
		if st.Kind == entry.KindFolder {
			if err := w.into(); err != nil {
				return err
			}
		}
	}
	return nil
}

// inside says where an error happened.
func (w *walk) inside(err error) error {
	if err == nil || err == errSkip || w.below == 0 || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return fmt.Errorf("%s: %w", w.way(), err)
}

// into enters the folder that is the entry.
func (w *walk) into() error {
	names, fd, err := w.surveyor.calls.ReadFolder(w.at, w.name)
	if err != nil {
		return w.inside(err)
	}
	w.surveyor.calls.Close(fd)
	if err := w.ladder.down(w.name); err != nil {
		return w.inside(err)
	}
	slices.Sort(names)
	w.names = append(w.names, names)
	return nil
}

// out leaves the last folder.
func (w *walk) out(leave func(w *walk) error) error {
	w.names = w.names[:len(w.names)-1]
	w.name = w.ladder.rungs[len(w.ladder.rungs)-1].name
	w.ladder.up()
	w.below = len(w.names)
	if leave == nil {
		return nil
	}
	var err error
	if w.at, err = w.ladder.fd(); err != nil {
		return err
	}
	return leave(w)
}

// has reports whether this program has changed an entry.
func (o ownChanges) has(st *sys.Status) bool {
	_, own := o[nodeOf(st)]
	return own
}
