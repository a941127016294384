package openat

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// ErrSkip, from the function that a walk calls, has it not go into a folder.
var ErrSkip = errors.New("not read")

// Walk is a walk through a folder, in the order of the names.
type Walk struct {
	calls   *sys.Calls
	Handles HandleStack
	names   [][]string // still to come, of each folder
	At      int        // open folder that the entry is in
	Name    string
	Mounted bool // the entry is on another mount than the folder it is in
	Below   int  // how deep the entry lies: 0 for the first one
}

// RelativeTo returns the path from the first one to the entry; empty for that itself.
func (w *Walk) RelativeTo() string {
	if w.Below == 0 {
		return ""
	}
	return w.Relative()
}

// Relative returns the path from the first one to the entry.
func (w *Walk) Relative() string {
	rel := ""
	for i, r := range w.Handles.Held {
		if i > 1 { // after the folder that the first one is in, and that one
			rel += r.Name + "/"
		}
	}
	if w.Below == 0 {
		return w.Name
	}
	return rel + w.Name
}

// WalkIn calls a function for the entry of a name and, before what is in it, for
// everything in it; and another, if it is given, for each folder after what is in
// it. The folder at is not closed.
func WalkIn(ctx context.Context, calls *sys.Calls, progress *source.Progress, at int, name string, visit func(w *Walk, st *sys.Status) error, leave func(w *Walk) error) error {
	w := &Walk{calls: calls, Handles: HandleStack{Calls: calls}}
	defer w.Handles.Close()
	base, err := calls.OpenFolder(at, ".")
	if err != nil {
		return err
	}
	if err := w.Handles.Reset(base); err != nil {
		return err
	}
	w.At, w.Name = base, name
	st, err := calls.Status(base, name)
	if err != nil {
		return err
	}
	w.Handles.Held[0].mount = st.Mount // what is mounted on the first one itself is entered
	if err := visit(w, &st); err != nil {
		if err == ErrSkip {
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
		if w.At, err = w.Handles.Fd(); err != nil {
			return err
		}
		w.Name, w.names[last] = w.names[last][0], w.names[last][1:]
		w.Below = len(w.names)
		st, err := calls.Status(w.At, w.Name)
		if err != nil {
			return w.Inside(err)
		}
		if progress != nil {
			progress.Entries.Add(1)
		}
		w.Mounted = st.Mount != w.Handles.Held[len(w.Handles.Held)-1].mount
		switch err := visit(w, &st); {
		case err == ErrSkip:
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

// Inside says where an error happened.
func (w *Walk) Inside(err error) error {
	if err == nil || err == ErrSkip || w.Below == 0 || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return fmt.Errorf("%s: %w", w.Relative(), err)
}

// into enters the folder that is the entry.
func (w *Walk) into() error {
	names, fd, err := w.calls.ReadFolder(w.At, w.Name)
	if err != nil {
		return w.Inside(err)
	}
	w.calls.Close(fd)
	if err := w.Handles.Down(w.Name); err != nil {
		return w.Inside(err)
	}
	slices.Sort(names)
	w.names = append(w.names, names)
	return nil
}

// out leaves the last folder.
func (w *Walk) out(leave func(w *Walk) error) error {
	w.names = w.names[:len(w.names)-1]
	w.Name = w.Handles.Held[len(w.Handles.Held)-1].Name
	w.Handles.Up()
	w.Below = len(w.names)
	if leave == nil {
		return nil
	}
	var err error
	if w.At, err = w.Handles.Fd(); err != nil {
		return err
	}
	return leave(w)
}
