package act

import (
	"context"
	"errors"
	"fmt"

	"golang.org/x/sys/unix"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
)

// spot is a name in an open folder.
type spot struct {
	at   int
	name string
}

var errHalf = errors.New("it was copied completely, but not all of the original could be removed")

// across moves an entry to a name in another file system: it is copied, and the copy
// made sure of; copied is told what the copy is; and only then is anything removed.
func (c *copier) across(ctx context.Context, from, to spot, under string, v *survey, stays bool, copied func(made *sys.Status) error) error {
	if _, err := c.calls.Status(to.at, to.name); !gone(err) {
		if err == nil {
			err = errTaken
		}
		return err
	}
	if err := c.discardBegun(ctx, to.at, under, from); err != nil { // of an attempt that was broken off
		return err
	}
	made, err := c.whole(ctx, from, to, under, v)
	if err == nil && c.strict && c.lost != (lost{}) {
		err = fmt.Errorf("%w: %s", errLosses, c.lost)
	}
	if err == nil {
		err = copied(&made)
	}
	if err == nil {
		err = taken(c.calls.Rename(to.at, under, to.at, to.name))
	}
	if err != nil {
		return c.discardMadeAfter(err, to.at, under, from)
	}
	removed := int64(0)
	err = c.calls.SyncFolder(to.at) // it is there, but would it be after a power failure?
	tried := err == nil
	if tried {
		removed, err = c.takeAway(ctx, from, under, v, stays)
	}
	if err == nil {
		return nil
	}
	// If nothing of it could be removed, there is to be no copy either.
	if removed > 0 || tried && stays || c.dropCopy(context.Background(), to, under, from) != nil {
		return &partly{removed, int64(len(v.prints)), fmt.Errorf("%w: %w", errHalf, err)}
	}
	return err
}

// whole makes a copy under another name, and makes sure that what it is a copy of
// is what it was, and that nothing else has that name.
func (c *copier) whole(ctx context.Context, from, to spot, under string, v *survey) (made sys.Status, err error) {
	if err := c.copy(ctx, from.at, from.name, to.at, under, v); err != nil {
		return made, err
	}
	again, err := c.survey(ctx, from.at, from.name)
	if err != nil {
		return made, err
	}
	if len(again.prints) != len(v.prints) || again.Digest != v.Digest || again.prints[0] != v.prints[0] {
		return made, errDiffers
	}
	made, err = c.calls.Status(to.at, under)
	if err == nil && (len(c.made) == 0 || !c.made[0].isNamed(&made)) {
		err = errMeanwhile
	}
	return made, err
}

// taken says what it means that a name was not free.
func taken(err error) error {
	if errors.Is(err, unix.EEXIST) {
		return errTaken
	}
	return err
}

var errLosses = errors.New("not all of it would be kept there")

// rejoin puts together again what a move to another file system has left in two
// places: what is missing where it was is copied there from the copy, and the copy
// removed where it is the same. Nothing that is there is replaced.
func (c *copier) rejoin(ctx context.Context, made, original spot, under string) error {
	if err := c.complete(ctx, made, original, under); err != nil {
		return err
	}
	return c.dropCopy(ctx, made, under, original)
}

// complete copies what is missing.
func (c *copier) complete(ctx context.Context, made, original spot, under string) error {
	into := ladder{calls: c.calls, mounts: true}
	defer into.close()
	base, err := c.calls.OpenFolder(original.at, ".")
	if err != nil {
		return err
	}
	if err := into.reset(base); err != nil {
		return err
	}
	var above []sys.Status // of the copies of folders that are being filled
	name := func(w *walk) string {
		if w.below == 0 {
			return original.name
		}
		return w.name
	}
	return c.walk(ctx, made.at, made.name, func(w *walk, st *sys.Status) error {
		if w.mounted {
			return errSkip
		}
		at, err := into.fd()
		if err != nil {
			return err
		}
		there, err := c.calls.Status(at, name(w))
		switch {
		case err == nil && st.Kind == entry.KindFolder && there.Kind == entry.KindFolder:
			above = append(above, *st)
			return into.down(name(w))
		case err == nil:
			return errSkip
		case !gone(err):
			return w.inside(err)
		}
		if err := c.discardBegun(ctx, at, under, spot{w.at, w.name}); err != nil { // of an attempt that was broken off
			return w.inside(err)
		}
		c.prefix = w.wayTo()
		err = c.copy(ctx, w.at, w.name, at, under, nil)
		if err == nil {
			err = taken(c.calls.Rename(at, under, at, name(w)))
		}
		if err != nil {
			return w.inside(c.discardMadeAfter(err, at, under, spot{w.at, w.name}))
		}
		if err := c.calls.SyncFolder(at); err != nil {
			return w.inside(err)
		}
		return errSkip
	}, func(w *walk) error {
		into.up()
		st := above[len(above)-1]
		above = above[:len(above)-1]
		at, err := into.fd()
		if err != nil {
			return err
		}
		return c.calls.SetTimes(at, name(w), st.Modified, st.Accessed)
	})
}
