package copying

import (
	"context"
	"errors"
	"fmt"

	"frankledger/core/act/openat"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
)

var errHalf = errors.New("it was copied completely, but some of the original could not be removed")

// Across moves an entry to a name in another file system: it is copied, and the copy made sure of; copied gets the
// copy; and only then is anything removed.
func (c *Copier) Across(ctx context.Context, from, to openat.Spot, under string, v *tree.Survey, stays bool, copied func(made *sys.Status) error) error {
	if _, err := c.Calls.Status(to.At, to.Name); !openat.Gone(err) {
		if err == nil {
			err = openat.ErrTaken
		}
		return err
	}
	if err := c.DiscardBegun(ctx, to.At, under, from); err != nil { // of an attempt that was broken off
		return err
	}
	made, err := c.Whole(ctx, from, to, under, v)
	if err == nil && c.Strict && c.Lost != (Lost{}) {
		err = fmt.Errorf("%w: %s", ErrLosses, c.Lost)
	}
	if err == nil {
		err = copied(&made)
	}
	if err == nil {
		err = openat.Taken(c.Calls.Rename(to.At, under, to.At, to.Name))
	}
	if err != nil {
		return c.DiscardMadeAfter(err, to.At, under, from)
	}
	removed := int64(0)
	err = c.Calls.SyncFolder(to.At) // it is there, but would it be after a power failure?
	tried := err == nil
	if tried {
		removed, err = c.TakeAway(ctx, from, under, v, stays)
	}
	if err == nil {
		return nil
	}
	// if nothing of it could be removed, there is to be no copy either.
	if removed > 0 || tried && stays || c.DropCopy(context.Background(), to, under, from) != nil {
		return &tree.Partly{Done: removed, All: int64(len(v.Prints)), Err: fmt.Errorf("%w: %w", errHalf, err)}
	}
	return err
}

// Whole makes a copy under another name, and makes sure that what it is a copy of
// is what it was, and that nothing else has that name.
func (c *Copier) Whole(ctx context.Context, from, to openat.Spot, under string, v *tree.Survey) (made sys.Status, err error) {
	if err := c.Copy(ctx, from.At, from.Name, to.At, under, v); err != nil {
		return made, err
	}
	again, err := c.Survey(ctx, from.At, from.Name)
	if err != nil {
		return made, err
	}
	if len(again.Prints) != len(v.Prints) || again.Digest != v.Digest || again.Prints[0] != v.Prints[0] {
		return made, errDiffers
	}
	made, err = c.Calls.Status(to.At, under)
	if err == nil && (len(c.Made) == 0 || !c.Made[0].IsNamed(&made)) {
		err = tree.ErrMeanwhile
	}
	return made, err
}

// ErrLosses is returned for what cannot keep all that it has, where nothing may be lost.
var ErrLosses = errors.New("something of it would be lost there")

// Rejoin puts together again what a move to another file system has left in two
// places: what is missing where it was is copied there from the copy, and the copy
// removed where it is the same. Nothing that is there is replaced.
func (c *Copier) Rejoin(ctx context.Context, made, original openat.Spot, under string) error {
	if err := c.complete(ctx, made, original, under); err != nil {
		return err
	}
	return c.DropCopy(ctx, made, under, original)
}

// complete copies what is missing.
func (c *Copier) complete(ctx context.Context, made, original openat.Spot, under string) error {
	into := openat.HandleStack{Calls: c.Calls, Mounts: true}
	defer into.Close()
	base, err := c.Calls.OpenFolder(original.At, ".")
	if err != nil {
		return err
	}
	if err := into.Reset(base); err != nil {
		return err
	}
	var above []sys.Status // of the copies of folders that are being filled
	name := func(w *openat.Walk) string {
		if w.Below == 0 {
			return original.Name
		}
		return w.Name
	}
	return c.Walk(ctx, made.At, made.Name, func(w *openat.Walk, st *sys.Status) error {
		if w.Mounted {
			return openat.ErrSkip
		}
		at, err := into.Fd()
		if err != nil {
			return err
		}
		there, err := c.Calls.Status(at, name(w))
		switch {
		case err == nil && st.Kind == entry.KindFolder && there.Kind == entry.KindFolder:
			above = append(above, *st)
			return into.Down(name(w))
		case err == nil:
			return openat.ErrSkip
		case !openat.Gone(err):
			return w.Inside(err)
		}
		if err := c.DiscardBegun(ctx, at, under, openat.Spot{At: w.At, Name: w.Name}); err != nil { // of an attempt that was broken off
			return w.Inside(err)
		}
		c.prefix = w.RelativeTo()
		err = c.Copy(ctx, w.At, w.Name, at, under, nil)
		if err == nil {
			err = openat.Taken(c.Calls.Rename(at, under, at, name(w)))
		}
		if err != nil {
			return w.Inside(c.DiscardMadeAfter(err, at, under, openat.Spot{At: w.At, Name: w.Name}))
		}
		if err := c.Calls.SyncFolder(at); err != nil {
			return w.Inside(err)
		}
		return openat.ErrSkip
	}, func(w *openat.Walk) error {
		into.Up()
		st := above[len(above)-1]
		above = above[:len(above)-1]
		at, err := into.Fd()
		if err != nil {
			return err
		}
		return c.Calls.SetTimes(at, name(w), st.Modified, st.Accessed)
	})
}
