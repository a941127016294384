package copying

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"path"

	"github.com/zeebo/blake3"
	"golang.org/x/sys/unix"

	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

// Across file systems, to move is to copy, to make sure that the copy is the
// same, and then to remove. The copy has another name until it is whole.

var (
	errCopy    = errors.New("the copy differs from the original; the copy was removed")
	ErrNoCopy  = errors.New("it is a device, which only an administrator can copy")
	errDiffers = errors.New("it changed while frank copied it")
)

// Copier copies entries to another file system.
type Copier struct {
	*tree.Surveyor
	Again  Linker // nil for none
	prefix string // relative path to what is copied, of a part of an entry
	Strict bool   // nothing may be lost
	Lost   Lost
	rels   map[entry.Node]*tree.Copied // of files of several names, in what was copied
	Made   []tree.Made                 // by the last copy
	Held   []journals.HeldTimes        // that are not those of the originals
	Names  []Several
}

// Lost is what a copy could not keep.
type Lost struct{ lists, attributes, owners, links, flags, Times int64 }

func (l Lost) String() (text string) {
	for _, one := range []struct {
		count int64
		what  string
	}{{l.lists, "access lists"}, {l.attributes, "extended attributes"}, {l.owners, "owners"}, {l.links, "hard links"}, {l.flags, "flags"}, {l.Times, "exact times"}} {
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

// ForGood is the part of it that undo does not give back: it makes hard links again, or says
// that it cannot, and sets exact times, which the journal has.
func (l Lost) ForGood() Lost {
	l.links, l.Times = 0, 0
	return l
}

// copying is one copy that is being made.
type copying struct {
	*Copier
	ctx     context.Context
	toAt    int
	to      string
	handles openat.HandleStack // of the copy; empty until its first folder is there
	above   []sys.Status
	synced  bool // all will be put on disk in the end
}

// Copy copies an entry, with all that is in it, to a name that nothing has. If it
// was surveyed, anything that is not as it was then makes the copy fail.
func (c *Copier) Copy(ctx context.Context, fromAt int, from string, toAt int, to string, v *tree.Survey) error {
	run := &copying{Copier: c, ctx: ctx, toAt: toAt, to: to, handles: openat.HandleStack{Calls: c.Calls}, synced: v != nil && sys.SyncsAll}
	defer run.handles.Close()
	c.rels, c.Made, c.Names = map[entry.Node]*tree.Copied{}, nil, nil
	next := 0
	var line []byte
	err := c.Walk(ctx, fromAt, from, func(w *openat.Walk, st *sys.Status) error {
		if w.Mounted {
			return w.Inside(openat.ErrMountInside)
		}
		if v != nil {
			shown := c.Own.Before(st)
			line = tree.AppendFacts(line[:0], w.Below, w.Name, &shown)
			if next >= len(v.Prints) || v.Prints[next] != tree.PrintOf(line) {
				return w.Inside(errDiffers)
			}
			next++
		}
		return w.Inside(run.one(w, st))
	}, func(w *openat.Walk) error { return w.Inside(run.leave(w)) })
	if err == nil && run.synced {
		err = c.Calls.SyncAll(toAt)
	}
	return err
}

// place returns the open folder of the copy, and the name in it, of an entry.
func (c *copying) place(w *openat.Walk) (at int, name string, err error) {
	if w.Below == 0 {
		return c.toAt, c.to, nil
	}
	at, err = c.handles.Fd()
	return at, w.Name, err
}

// one copies one entry; a folder is made, to be filled.
func (c *copying) one(w *openat.Walk, st *sys.Status) error {
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
		if target, err = c.Calls.ReadLink(w.At, w.Name); err == nil {
			err = c.Calls.MakeLink(target, at, name)
		}
		if err == nil {
			now, err = c.likeHeld(w, openat.Spot{At: at, Name: name}, st, target)
		}
	default:
		if !sys.MakesSpecial(st.Kind) {
			return ErrNoCopy
		}
		if err = c.Calls.MakeSpecial(at, name, st.Kind, st.Rdev); err == nil {
			now, err = c.likeHeld(w, openat.Spot{At: at, Name: name}, st, "")
		}
	}
	if err == nil {
		c.Made = append(c.Made, tree.MadeOf(w, name, &now))
		if st.Links > 1 {
			c.rels[openat.NodeOf(st)] = &tree.Copied{Relative: c.relativeTo(w), St: now, Made: len(c.Made) - 1, Of: *st}
		}
	}
	return err
}

// relativeTo returns the names on the path to the copy of an entry.
func (c *copying) relativeTo(w *openat.Walk) (rel []string) {
	if w.Below == 0 {
		return nil
	}
	for _, r := range c.handles.Held[1:] {
		rel = append(rel, r.Name)
	}
	return append(rel, w.Name)
}

// nameAgain gives the copy of a file another name, if there is a copy.
func (c *copying) nameAgain(w *openat.Walk, st *sys.Status, at int, name string) bool {
	rel := path.Join(c.prefix, w.RelativeTo())
	known, named := false, false
	if c.Again != nil {
		known, named = c.Again(w, st, rel, at, name)
	}
	if first := c.rels[openat.NodeOf(st)]; !named && first != nil && len(first.Relative) > 0 {
		if known, named = true, c.linkTo(first, at, name) == nil; named {
			c.Made[first.Made].Done = tree.DoneOf(&first.St)
		}
	}
	if known || st.Links > 1 {
		c.Names = append(c.Names, Several{rel, journals.LinkedTo{Node: openat.NodeOf(st), Names: st.Links}})
	}
	if known && !named {
		c.Lost.links++
	}
	if named {
		if now, err := c.Calls.Status(at, name); err == nil {
			c.Made = append(c.Made, tree.MadeOf(w, name, &now))
			c.noteTimes(rel, st, &now)
		}
	}
	return named
}

// linkTo gives a file in the copy another name, if it is as it was made.
func (c *copying) linkTo(first *tree.Copied, at int, name string) error {
	rel := openat.HandleStack{Calls: c.Calls}
	defer rel.Close()
	fd, err := c.Calls.OpenFolder(c.toAt, c.to)
	if err == nil {
		err = rel.Reset(fd)
	}
	for i := 0; i < len(first.Relative)-1 && err == nil; i++ {
		err = rel.Down(first.Relative[i])
	}
	if err == nil {
		fd, err = rel.Fd()
	}
	if err != nil {
		return err
	}
	return c.Link(first, fd, first.Relative[len(first.Relative)-1], at, name)
}

// makeFolder makes a folder that only its owner may enter for now.
func (c *copying) makeFolder(w *openat.Walk, at int, name string, st *sys.Status) error {
	err := c.Calls.MakeFolder(at, name, 0o700)
	if err != nil {
		return err
	}
	if w.Below > 0 {
		err = c.handles.Down(name)
	} else {
		var fd int
		if fd, err = c.Calls.OpenFolder(at, name); err == nil {
			err = c.handles.Reset(fd)
		}
	}
	if err != nil {
		return err
	}
	last := &c.handles.Held[len(c.handles.Held)-1]
	c.Made = append(c.Made, tree.MadeOf(w, name, &sys.Status{Kind: entry.KindFolder, Inode: last.Node.Inode}))
	own, err := c.opened(openat.Spot{At: at, Name: name})
	if err == nil {
		err = c.bare(own.At, own.Name, true)
	}
	if err != nil {
		return err
	}
	c.above = append(c.above, *st)
	return nil
}

// opened is the last folder of the copy: by its handle, where the system can act by that, since
// something else may have its name by now.
func (c *copying) opened(named openat.Spot) (openat.Spot, error) {
	if !sys.HoldsAll {
		return named, nil
	}
	fd, err := c.handles.Fd()
	return openat.Spot{At: fd, Name: ""}, err
}

// bare takes away what a new entry has got from the folder that it was made in: an
// access list would let others in.
func (c *Copier) bare(at int, name string, folder bool) error {
	keys := []string{sys.AccessList}
	if folder {
		keys = append(keys, sys.DefaultList)
	}
	for _, key := range keys {
		if err := c.Calls.DropAttribute(at, name, key); err != nil {
			return err
		}
	}
	return nil
}

// leave makes the copy of a folder like what it is a copy of, now that all is in it.
func (c *copying) leave(w *openat.Walk) error {
	last := len(c.above) - 1
	st := c.above[last]
	c.above = c.above[:last]
	if !c.synced {
		fd, err := c.handles.Fd()
		if err == nil {
			err = c.Calls.SyncFolder(fd)
		}
		if err != nil {
			return err
		}
	}
	if sys.HoldsAll {
		fd, err := c.handles.Fd()
		if err == nil {
			err = c.likeFolder(w, openat.Spot{At: fd, Name: ""}, &st)
		}
		c.handles.Up()
		return err
	}
	c.handles.Up()
	at, name, err := c.place(w)
	if err == nil {
		err = c.likeFolder(w, openat.Spot{At: at, Name: name}, &st)
	}
	return err
}

// likeFolder gives a folder, which is open or has a name, all that likeBefore gives, and flags.
func (c *copying) likeFolder(w *openat.Walk, own openat.Spot, st *sys.Status) error {
	err := c.folderFlags(w, own.At, cmp.Or(own.Name, "."))
	if err == nil {
		_, err = c.likeBefore(w, own.At, own.Name, st)
	}
	return err
}

// likeHeld does as likeBefore does for something that was made just now and cannot be opened
// for reading: a link with a target, or something special.
func (c *copying) likeHeld(w *openat.Walk, named openat.Spot, st *sys.Status, target string) (now sys.Status, err error) {
	if !sys.HoldsAll {
		return c.likeBefore(w, named.At, named.Name, st)
	}
	held, err := c.Calls.Hold(named.At, named.Name)
	if err != nil {
		return now, err
	}
	defer c.Calls.Close(held)
	if now, err = c.Calls.Status(held, ""); err == nil && now.Kind != st.Kind {
		err = tree.ErrMeanwhile
	}
	if err == nil && st.Kind == entry.KindLink {
		var is string
		if is, err = c.Calls.ReadLink(held, ""); err == nil && is != target {
			err = tree.ErrMeanwhile
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
func (c *Copier) likeBefore(w *openat.Walk, at int, name string, st *sys.Status) (now sys.Status, err error) {
	ownerKept, groupKept, err := c.keepOwner(at, name, st)
	if err != nil {
		return now, err
	}
	if !ownerKept || !groupKept {
		c.Lost.owners++
	}
	if st.Kind != entry.KindLink {
		if err := c.keepRights(w, at, name, st, ownerKept, groupKept); err != nil {
			return now, err
		}
	}
	if err := c.Calls.SetTimes(at, name, st.Modified, st.Accessed); err != nil {
		return now, err
	}
	if now, err = c.Calls.Status(at, name); err == nil {
		c.noteTimes(path.Join(c.prefix, w.RelativeTo()), st, &now)
	}
	return now, err
}

// noteTimes notes times that the other file system did not take as they are.
func (c *Copier) noteTimes(rel string, before, now *sys.Status) {
	if now.Modified != before.Modified {
		c.Lost.Times++
		c.Held = append(c.Held, journals.HeldTimes{Relative: rel, Modified: before.Modified, Accessed: before.Accessed, Became: now.Modified})
	}
}

// keepRights gives a copy access list, attributes and permissions.
func (c *Copier) keepRights(w *openat.Walk, at int, name string, st *sys.Status, ownerKept, groupKept bool) error {
	all, err := c.Calls.Attributes(w.At, w.Name)
	if err != nil {
		return err
	}
	p := st.Permissions
	if list := all[sys.AccessList]; list != "" {
		err := sys.ErrNotSupported // whoever owns it now is another, about whom it says nothing
		if ownerKept && groupKept {
			err = c.Calls.SetAttribute(at, name, sys.AccessList, list)
		}
		if cannot(err) {
			c.Lost.lists++
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
		err := c.Calls.SetAttribute(at, name, key, value)
		switch {
		case err == nil || tree.IsLabel(key):
		case cannot(err) && key == sys.DefaultList:
			c.Lost.lists++
		case cannot(err):
			dropped = true
		default:
			return err
		}
	}
	if dropped {
		c.Lost.attributes++
	}
	return c.Calls.SetPermissions(at, name, sys.OfOthers(p, ownerKept, groupKept))
}

// flags gives a copy the flags of what it is a copy of, both being open for reading: but
// for those that would keep it from getting its name, and for how its folder has it kept
// (compressed, not copied on write).
func (c *Copier) flags(in, out int) error {
	flags, err := c.Calls.Flags(in)
	if err = tree.IgnoreNone(err); err != nil {
		return err
	}
	now, err := c.Calls.Flags(out) // it may have got some from its folder
	if err != nil {
		if flags != 0 {
			c.Lost.flags++
		}
		return tree.IgnoreNone(err)
	}
	wanted := flags&^sys.FlagsFixed | now&sys.FlagsKeeping
	if now != wanted {
		refused := c.Calls.SetFlags(out, wanted)
		if refused != nil && !cannot(refused) {
			return refused
		}
		for bit := uint32(1); refused != nil && bit <= wanted && bit != 0; bit <<= 1 { // then one by one
			if wanted&bit == 0 {
				continue
			}
			if now, err = c.Calls.Flags(out); err != nil {
				return err
			}
			if err := c.Calls.SetFlags(out, now|bit); err != nil && !cannot(err) {
				return err
			}
		}
		if now, err = c.Calls.Flags(out); err != nil {
			return err
		}
	}
	if now&flags != flags {
		c.Lost.flags++
	}
	return nil
}

// folderFlags does so for a folder.
func (c *Copier) folderFlags(w *openat.Walk, at int, name string) error {
	in, err := c.Calls.OpenFile(w.At, w.Name)
	if err != nil {
		return err
	}
	defer c.Calls.Close(in)
	out, err := c.Calls.OpenFile(at, name)
	if err != nil {
		return err
	}
	defer c.Calls.Close(out)
	return c.flags(in, out)
}

// cannot reports whether an attribute was refused since this file system has none of
// its kind, or this user may not set it; not for want of room, for instance.
func cannot(err error) bool {
	return errors.Is(err, sys.ErrNotSupported) || errors.Is(err, unix.EPERM) || errors.Is(err, unix.EACCES)
}

// keepOwner gives a copy the owner and the group of what it is a copy of, as far as that
// is allowed. Only an administrator can give things away.
func (c *Copier) keepOwner(at int, name string, st *sys.Status) (ownerKept, groupKept bool, err error) {
	now, err := c.Calls.Status(at, name)
	if err != nil {
		return false, false, err
	}
	if now.UID == st.UID && now.GID == st.GID {
		return true, true, nil
	}
	refused := func(err error) bool {
		return errors.Is(err, unix.EPERM) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTSUP)
	}
	err = c.Calls.SetOwner(at, name, int(st.UID), int(st.GID))
	if refused(err) {
		if err = c.Calls.SetOwner(at, name, -1, int(st.GID)); refused(err) {
			err = nil
		}
	}
	if err != nil {
		return false, false, err
	}
	now, err = c.Calls.Status(at, name) // some file systems take it and keep their own
	return now.UID == st.UID, now.GID == st.GID, err
}

// file copies a file: its content, read again and compared by digest, and all else.
func (c *copying) file(w *openat.Walk, at int, name string, before *sys.Status) (made sys.Status, err error) {
	in, err := c.Calls.OpenFile(w.At, w.Name)
	if err != nil {
		return made, err
	}
	defer c.Calls.Close(in)
	opened, err := c.Calls.Status(in, "")
	if err != nil {
		return made, err
	}
	if !tree.Unchanged(before, &opened) {
		return made, errDiffers
	}
	out, err := c.Calls.CreateFile(at, name)
	if err != nil {
		return made, err
	}
	defer c.Calls.Close(out)
	defer func() {
		if err != nil { // so that it is known for ours when it is taken away
			if begun, e := c.Calls.Status(out, ""); e == nil {
				c.Made = append(c.Made, tree.MadeOf(w, name, &begun))
				c.Made[len(c.Made)-1].Done = 0
			}
		}
	}()
	own := openat.Spot{At: at, Name: name}
	if sys.HoldsAll { // something else may have its name by now
		own = openat.Spot{At: out, Name: ""}
	}
	if err := c.bare(own.At, own.Name, false); err != nil {
		return made, err
	}
	if err := c.flags(in, out); err != nil {
		return made, err
	}
	wanted := blake3.New()
	length, err := c.Stream(c.ctx, in, func(p []byte) error {
		wanted.Write(p)
		return c.Sparse(out, p)
	})
	if err == nil {
		err = c.Calls.Truncate(out, length)
	}
	if err == nil && !c.synced {
		err = c.Calls.Sync(out)
	}
	if err == nil {
		_, err = c.Calls.Seek(out, 0, io.SeekStart)
	}
	if err != nil {
		return made, err
	}
	got := blake3.New()
	if _, err := c.Stream(c.ctx, out, func(p []byte) error { got.Write(p); return nil }); err != nil {
		return made, err
	}
	if [32]byte(wanted.Sum(nil)) != [32]byte(got.Sum(nil)) {
		return made, errCopy
	}
	if made, err = c.likeBefore(w, own.At, own.Name, before); err != nil {
		return made, err
	}
	if !c.synced {
		if err := c.Calls.Sync(out); err != nil {
			return made, err
		}
	}
	now, err := c.Calls.Status(in, "")
	if err == nil && (!tree.Unchanged(before, &now) || length != before.Size) {
		err = errDiffers
	}
	return made, err
}

// discardMade removes what the last copy has made under a name.
func (c *Copier) discardMade(at int, name string) error {
	known := make(map[uint64]uint64, len(c.Made))
	for _, m := range c.Made {
		known[m.What] = m.Done
	}
	return c.Discard(at, name, func(w *openat.Walk, st *sys.Status) (ours bool, err error) {
		name := w.Name
		if w.Below == 0 {
			name = ""
		}
		done, made := known[tree.WhatOf(w.Below, name, st)]
		return made && (st.Kind == entry.KindFolder || done == 0 || done == tree.DoneOf(st)), nil
	})
}

// DiscardMadeAfter removes what was begun, after an error. What it does not remember, as
// that came right then, it knows by the original.
func (c *Copier) DiscardMadeAfter(err error, at int, name string, original openat.Spot) error {
	left := c.discardMade(at, name)
	if left != nil {
		left = c.DiscardBegun(context.Background(), at, name, original)
	}
	return errors.Join(err, left)
}
