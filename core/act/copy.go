package act

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"path"

	"github.com/zeebo/blake3"
	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// Across file systems, to move is to copy, to make sure that the copy is the
// same, and then to remove. The copy has another name until it is whole.

var (
	errCopy    = errors.New("the copy is not the same as what was copied; the copy was removed")
	errNoCopy  = errors.New("it is a device, which only an administrator can copy")
	errDiffers = errors.New("it changed while it was copied")
)

// copier copies entries to another file system.
type copier struct {
	*surveyor
	again  linker // nil for none
	prefix string // way to what is copied, of a part of an entry
	strict bool   // nothing may be lost
	lost   lost
	ways   map[entry.Node]*copied // of files of several names, in what was copied
	made   []made                 // by the last copy
	held   []heldTimes            // that are not those of the originals
	names  []several
}

// heldTimes are times that the other file system did not take as they are.
type heldTimes struct {
	way                        string // to what has them, in what was copied
	modified, accessed, became entry.Time
}

// lost is what could not be kept of what was copied.
type lost struct{ lists, attributes, owners, links, flags, times int64 }

func (l lost) String() (text string) {
	for _, one := range []struct {
		count int64
		what  string
	}{{l.lists, "access lists"}, {l.attributes, "extended attributes"}, {l.owners, "owners"}, {l.links, "hard links"}, {l.flags, "flags"}, {l.times, "exact times"}} {
		if one.count > 0 {
			if text != "" {
				text += ", "
			}
			text += fmt.Sprintf("%s of %d", one.what, one.count)
		}
	}
	if text != "" {
		text = "could not keep " + text
	}
	return text
}

// forGood is the part of it that undo does not give back: it makes hard links again, or says
// that it cannot, and sets exact times, which the journal has.
func (l lost) forGood() lost {
	l.links, l.times = 0, 0
	return l
}

// copying is one copy that is being made.
type copying struct {
	*copier
	ctx    context.Context
	toAt   int
	to     string
	ladder ladder // of the copy; empty until its first folder is there
	above  []sys.Status
	synced bool // all will be put on disk in the end
}

// copy copies an entry, with all that is in it, to a name that nothing has. If it
// was surveyed, anything that is not as it was then makes the copy fail.
func (c *copier) copy(ctx context.Context, fromAt int, from string, toAt int, to string, v *survey) error {
	run := &copying{copier: c, ctx: ctx, toAt: toAt, to: to, ladder: ladder{calls: c.calls}, synced: v != nil && sys.SyncsAll}
	defer run.ladder.close()
	c.ways, c.made, c.names = map[entry.Node]*copied{}, nil, nil
	next := 0
	var line []byte
	err := c.walk(ctx, fromAt, from, func(w *walk, st *sys.Status) error {
		if w.mounted {
			return w.inside(errMountInside)
		}
		if v != nil {
			shown := c.own.before(st)
			line = appendFacts(line[:0], w.below, w.name, &shown)
			if next >= len(v.prints) || v.prints[next] != printOf(line) {
				return w.inside(errDiffers)
			}
			next++
		}
		return w.inside(run.one(w, st))
	}, func(w *walk) error { return w.inside(run.leave(w)) })
	if err == nil && run.synced {
		err = c.calls.SyncAll(toAt)
	}
	return err
}

// place returns the open folder of the copy, and the name in it, of an entry.
func (c *copying) place(w *walk) (at int, name string, err error) {
	if w.below == 0 {
		return c.toAt, c.to, nil
	}
	at, err = c.ladder.fd()
	return at, w.name, err
}

// one copies one entry; a folder is made, to be filled.
func (c *copying) one(w *walk, st *sys.Status) error {
	at, name, err := c.place(w)
	if err != nil {
		return err
	}
	if st.Kind == entry.KindFolder {
		return c.makeFolder(w, at, name, st)
	}
	if c.nameAgain(w, st, at, name) {
		return nil
	}
	var now sys.Status
	switch st.Kind {
	case entry.KindFile:
		now, err = c.file(w, at, name, st)
	case entry.KindLink:
		var target string
		if target, err = c.calls.ReadLink(w.at, w.name); err == nil {
			err = c.calls.MakeLink(target, at, name)
		}
		if err == nil {
			now, err = c.likeHeld(w, spot{at, name}, st, target)
		}
	default:
		if !sys.MakesSpecial(st.Kind) {
			return errNoCopy
		}
		if err = c.calls.MakeSpecial(at, name, st.Kind, st.Rdev); err == nil {
			now, err = c.likeHeld(w, spot{at, name}, st, "")
		}
	}
	if err == nil {
		c.made = append(c.made, madeOf(w, name, &now))
		if st.Links > 1 {
			c.ways[nodeOf(st)] = &copied{way: c.wayTo(w), st: now, made: len(c.made) - 1, of: *st}
		}
	}
	return err
}

// wayTo returns the names on the path to the copy of an entry.
func (c *copying) wayTo(w *walk) (way []string) {
	if w.below == 0 {
		return nil
	}
	for _, r := range c.ladder.rungs[1:] {
		way = append(way, r.name)
	}
	return append(way, w.name)
}

// nameAgain gives the copy of a file another name, if there is a copy.
func (c *copying) nameAgain(w *walk, st *sys.Status, at int, name string) bool {
	way := path.Join(c.prefix, w.wayTo())
	known, named := false, false
	if c.again != nil {
		known, named = c.again(w, st, way, at, name)
	}
	if first := c.ways[nodeOf(st)]; !named && first != nil && len(first.way) > 0 {
		if known, named = true, c.linkTo(first, at, name) == nil; named {
			c.made[first.made].done = doneOf(&first.st)
		}
	}
	if known || st.Links > 1 {
		c.names = append(c.names, several{way, linkedTo{nodeOf(st), st.Links}})
	}
	if known && !named {
		c.lost.links++
	}
	if named {
		if now, err := c.calls.Status(at, name); err == nil {
			c.made = append(c.made, madeOf(w, name, &now))
			c.noteTimes(way, st, &now)
		}
	}
	return named
}

// linkTo gives a file in the copy another name, if it is as it was made.
func (c *copying) linkTo(first *copied, at int, name string) error {
	way := ladder{calls: c.calls}
	defer way.close()
	fd, err := c.calls.OpenFolder(c.toAt, c.to)
	if err == nil {
		err = way.reset(fd)
	}
	for i := 0; i < len(first.way)-1 && err == nil; i++ {
		err = way.down(first.way[i])
	}
	if err == nil {
		fd, err = way.fd()
	}
	if err != nil {
		return err
	}
	return c.link(first, fd, first.way[len(first.way)-1], at, name)
}

// makeFolder makes a folder that only its owner may enter for now.
func (c *copying) makeFolder(w *walk, at int, name string, st *sys.Status) error {
	err := c.calls.MakeFolder(at, name, 0o700)
	if err != nil {
		return err
	}
	if w.below > 0 {
		err = c.ladder.down(name)
	} else {
		var fd int
		if fd, err = c.calls.OpenFolder(at, name); err == nil {
			err = c.ladder.reset(fd)
		}
	}
	if err != nil {
		return err
	}
	last := &c.ladder.rungs[len(c.ladder.rungs)-1]
	c.made = append(c.made, madeOf(w, name, &sys.Status{Kind: entry.KindFolder, Inode: last.node.Inode}))
	own, err := c.opened(spot{at, name})
	if err == nil {
		err = c.bare(own.at, own.name, true)
	}
	if err != nil {
		return err
	}
	c.above = append(c.above, *st)
	return nil
}

// opened is the last folder of the copy: by its handle, where the system can act by that, since
// something else may have its name by now.
func (c *copying) opened(named spot) (spot, error) {
	if !sys.HoldsAll {
		return named, nil
	}
	fd, err := c.ladder.fd()
	return spot{fd, ""}, err
}

// bare takes away what a new entry has got from the folder that it was made in: an
// access list would let others in.
func (c *copier) bare(at int, name string, folder bool) error {
	keys := []string{sys.AccessList}
	if folder {
		keys = append(keys, sys.DefaultList)
	}
	for _, key := range keys {
		if err := c.calls.DropAttribute(at, name, key); err != nil {
			return err
		}
	}
	return nil
}

// leave makes the copy of a folder like what it is a copy of, now that all is in it.
func (c *copying) leave(w *walk) error {
	last := len(c.above) - 1
	st := c.above[last]
	c.above = c.above[:last]
	if !c.synced {
		fd, err := c.ladder.fd()
		if err == nil {
			err = c.calls.SyncFolder(fd)
		}
		if err != nil {
			return err
		}
	}
	if sys.HoldsAll {
		fd, err := c.ladder.fd()
		if err == nil {
			err = c.likeFolder(w, spot{fd, ""}, &st)
		}
		c.ladder.up()
		return err
	}
	c.ladder.up()
	at, name, err := c.place(w)
	if err == nil {
		err = c.likeFolder(w, spot{at, name}, &st)
	}
	return err
}

// likeFolder gives a folder, which is open or has a name, all that likeBefore gives, and flags.
func (c *copying) likeFolder(w *walk, own spot, st *sys.Status) error {
	err := c.folderFlags(w, own.at, cmp.Or(own.name, "."))
	if err == nil {
		_, err = c.likeBefore(w, own.at, own.name, st)
	}
	return err
}

// likeHeld does as likeBefore does for something that was made just now and cannot be opened
// for reading: a link with a target, or something special.
func (c *copying) likeHeld(w *walk, named spot, st *sys.Status, target string) (now sys.Status, err error) {
	if !sys.HoldsAll {
		return c.likeBefore(w, named.at, named.name, st)
	}
	held, err := c.calls.Hold(named.at, named.name)
	if err != nil {
		return now, err
	}
	defer c.calls.Close(held)
	if now, err = c.calls.Status(held, ""); err == nil && now.Kind != st.Kind {
		err = errMeanwhile
	}
	if err == nil && st.Kind == entry.KindLink {
		var is string
		if is, err = c.calls.ReadLink(held, ""); err == nil && is != target {
			err = errMeanwhile
		}
	}
	if err != nil {
		return now, err
	}
	return c.likeBefore(w, held, "", st)
}

// likeBefore gives a copy owner, access list, attributes, permissions and times of
// what it is a copy of. What the other file system or this user cannot set is
// counted, and nobody may do more than before for that. It returns what the copy is then.
func (c *copier) likeBefore(w *walk, at int, name string, st *sys.Status) (now sys.Status, err error) {
	ownerKept, groupKept, err := c.keepOwner(at, name, st)
	if err != nil {
		return now, err
	}
	if !ownerKept || !groupKept {
		c.lost.owners++
	}
	if st.Kind != entry.KindLink {
		if err := c.keepRights(w, at, name, st, ownerKept, groupKept); err != nil {
			return now, err
		}
	}
	if err := c.calls.SetTimes(at, name, st.Modified, st.Accessed); err != nil {
		return now, err
	}
	if now, err = c.calls.Status(at, name); err == nil {
		c.noteTimes(path.Join(c.prefix, w.wayTo()), st, &now)
	}
	return now, err
}

// noteTimes notes times that the other file system did not take as they are.
func (c *copier) noteTimes(way string, before, now *sys.Status) {
	if now.Modified != before.Modified {
		c.lost.times++
		c.held = append(c.held, heldTimes{way, before.Modified, before.Accessed, now.Modified})
	}
}

// keepRights gives a copy access list, attributes and permissions.
func (c *copier) keepRights(w *walk, at int, name string, st *sys.Status, ownerKept, groupKept bool) error {
	all, err := c.calls.Attributes(w.at, w.name)
	if err != nil {
		return err
	}
	p := st.Permissions
	if list := all[sys.AccessList]; list != "" {
		err := sys.ErrNotSupported // whoever owns it now is another, about whom it says nothing
		if ownerKept && groupKept {
			err = c.calls.SetAttribute(at, name, sys.AccessList, list)
		}
		if cannot(err) {
			c.lost.lists++
			p, err = sys.Narrowed(p, list)
		}
		if err != nil {
			return err
		}
	}
	dropped := false
	for key, value := range all {
		if key == sys.AccessList {
			continue
		}
		err := c.calls.SetAttribute(at, name, key, value)
		switch {
		case err == nil || isLabel(key):
		case cannot(err) && key == sys.DefaultList:
			c.lost.lists++
		case cannot(err):
			dropped = true
		default:
			return err
		}
	}
	if dropped {
		c.lost.attributes++
	}
	return c.calls.SetPermissions(at, name, sys.OfOthers(p, ownerKept, groupKept))
}

// flags gives a copy the flags of what it is a copy of, both being open for reading: but
// for those that would keep it from getting its name, and for how its folder has it kept
// (compressed, not copied on write).
func (c *copier) flags(in, out int) error {
	flags, err := c.calls.Flags(in)
	if err = ignoreNone(err); err != nil {
		return err
	}
	now, err := c.calls.Flags(out) // it may have got some from its folder
	if err != nil {
		if flags != 0 {
			c.lost.flags++
		}
		return ignoreNone(err)
	}
	wanted := flags&^sys.FlagsFixed | now&sys.FlagsKeeping
	if now != wanted {
		refused := c.calls.SetFlags(out, wanted)
		if refused != nil && !cannot(refused) {
			return refused
		}
		for bit := uint32(1); refused != nil && bit <= wanted && bit != 0; bit <<= 1 { // then one by one
			if wanted&bit == 0 {
				continue
			}
			if now, err = c.calls.Flags(out); err != nil {
				return err
			}
			if err := c.calls.SetFlags(out, now|bit); err != nil && !cannot(err) {
				return err
			}
		}
		if now, err = c.calls.Flags(out); err != nil {
			return err
		}
	}
	if now&flags != flags {
		c.lost.flags++
	}
	return nil
}

// folderFlags does so for a folder.
func (c *copier) folderFlags(w *walk, at int, name string) error {
	in, err := c.calls.OpenFile(w.at, w.name)
	if err != nil {
		return err
	}
	defer c.calls.Close(in)
	out, err := c.calls.OpenFile(at, name)
	if err != nil {
		return err
	}
	defer c.calls.Close(out)
	return c.flags(in, out)
}

// ignoreNone ignores that there are no flags here.
func ignoreNone(err error) error {
	if errors.Is(err, sys.ErrNotSupported) {
		return nil
	}
	return err
}

// cannot reports whether an attribute was refused since this file system has none of
// its kind, or this user may not set it; not for want of room, for instance.
func cannot(err error) bool {
	return errors.Is(err, sys.ErrNotSupported) || errors.Is(err, unix.EPERM) || errors.Is(err, unix.EACCES)
}

// isLabel reports whether an attribute is one that a system gives every file itself.
func isLabel(key string) bool { return key == "security.selinux" || key == "security.SMACK64" }

// keepOwner gives a copy the owner and the group of what it is a copy of, as far as that
// is allowed. Only an administrator can give things away.
func (c *copier) keepOwner(at int, name string, st *sys.Status) (ownerKept, groupKept bool, err error) {
	now, err := c.calls.Status(at, name)
	if err != nil {
		return false, false, err
	}
	if now.UID == st.UID && now.GID == st.GID {
		return true, true, nil
	}
	refused := func(err error) bool {
		return errors.Is(err, unix.EPERM) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTSUP)
	}
	err = c.calls.SetOwner(at, name, int(st.UID), int(st.GID))
	if refused(err) {
		if err = c.calls.SetOwner(at, name, -1, int(st.GID)); refused(err) {
			err = nil
		}
	}
	if err != nil {
		return false, false, err
	}
	now, err = c.calls.Status(at, name) // some file systems take it and keep their own
	return now.UID == st.UID, now.GID == st.GID, err
}

// piece is how much is copied before looking whether to stop.
const piece = 256 << 10

// file copies a file: its content, read again and compared by digest, and all else.
func (c *copying) file(w *walk, at int, name string, before *sys.Status) (made sys.Status, err error) {
	in, err := c.calls.OpenFile(w.at, w.name)
	if err != nil {
		return made, err
	}
	defer c.calls.Close(in)
	opened, err := c.calls.Status(in, "")
	if err != nil {
		return made, err
	}
	if !unchanged(before, &opened) {
		return made, errDiffers
	}
	out, err := c.calls.CreateFile(at, name)
	if err != nil {
		return made, err
	}
	defer c.calls.Close(out)
	defer func() {
		if err != nil { // so that it is known for ours when it is taken away
			if begun, e := c.calls.Status(out, ""); e == nil {
				c.made = append(c.made, madeOf(w, name, &begun))
				c.made[len(c.made)-1].done = 0
			}
		}
	}()
	own := spot{at, name}
	if sys.HoldsAll { // something else may have its name by now
		own = spot{out, ""}
	}
	if err := c.bare(own.at, own.name, false); err != nil {
		return made, err
	}
	if err := c.flags(in, out); err != nil {
		return made, err
	}
	wanted := blake3.New()
	length, err := c.stream(c.ctx, in, func(p []byte) error {
		wanted.Write(p)
		return c.sparse(out, p)
	})
	if err == nil {
		err = c.calls.Truncate(out, length)
	}
	if err == nil && !c.synced {
		err = c.calls.Sync(out)
	}
	if err == nil {
		_, err = c.calls.Seek(out, 0, io.SeekStart)
	}
	if err != nil {
		return made, err
	}
	got := blake3.New()
	if _, err := c.stream(c.ctx, out, func(p []byte) error { got.Write(p); return nil }); err != nil {
		return made, err
	}
	if [32]byte(wanted.Sum(nil)) != [32]byte(got.Sum(nil)) {
		return made, errCopy
	}
	if made, err = c.likeBefore(w, own.at, own.name, before); err != nil {
		return made, err
	}
	if !c.synced {
		if err := c.calls.Sync(out); err != nil {
			return made, err
		}
	}
	now, err := c.calls.Status(in, "")
	if err == nil && (!unchanged(before, &now) || length != before.Size) {
		err = errDiffers
	}
	return made, err
}

// stream reads an open file to its end.
func (s *surveyor) stream(ctx context.Context, fd int, take func(p []byte) error) (length int64, err error) {
	room := make([]byte, piece)
	for {
		if err := ctx.Err(); err != nil {
			return length, err
		}
		n, err := s.calls.Read(fd, room)
		if err == io.EOF {
			return length, nil
		}
		if err == nil {
			err = take(room[:n])
		}
		if err != nil {
			return length, err
		}
		length += int64(n)
		if s.progress != nil {
			s.progress.Read.Add(int64(n))
		}
	}
}

var zeros [32 << 10]byte

// sparse writes to an open file, and leaves holes where there are only zeros.
func (s *surveyor) sparse(fd int, p []byte) error {
	for len(p) > 0 {
		part := p[:min(len(p), len(zeros))]
		p = p[len(part):]
		var err error
		if string(part) == string(zeros[:len(part)]) {
			_, err = s.calls.Seek(fd, int64(len(part)), io.SeekCurrent)
		} else {
			_, err = s.calls.Write(fd, part)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// digest returns the digest of a file.
func (s *surveyor) digest(ctx context.Context, at int, name string) (sum [32]byte, err error) {
	fd, err := s.calls.OpenFile(at, name)
	if err != nil {
		return sum, err
	}
	defer s.calls.Close(fd)
	hash := blake3.New()
	_, err = s.stream(ctx, fd, func(p []byte) error { hash.Write(p); return nil })
	return [32]byte(hash.Sum(nil)), err
}
