package openat

import (
	"context"

	"frankledger/core/act/sys"
	"frankledger/core/entry"
	"frankledger/core/source"
)

// WalkBeside walks through an entry as WalkIn does, and goes along in another place: the
// function is also given the open folder and the name that the entry has there, if there is
// one. A folder is entered on both sides, so that there has to be one of that name where the
// function returns no error. Whatever is mounted on the other side is entered.
func WalkBeside(ctx context.Context, calls *sys.Calls, progress *source.Progress, from, other Spot, visit func(w *Walk, st *sys.Status, there Spot) error, leave func(w *Walk) error) error {
	others := HandleStack{Calls: calls, Mounts: true}
	defer others.Close()
	base, err := calls.OpenFolder(other.At, ".")
	if err == nil {
		err = others.Reset(base)
	}
	if err != nil {
		return err
	}
	return WalkIn(ctx, calls, progress, from.At, from.Name, func(w *Walk, st *sys.Status) error {
		at, err := others.Fd()
		if err != nil {
			return err
		}
		there := Spot{At: at, Name: w.Name}
		if w.Below == 0 {
			there.Name = other.Name
		}
		if err := visit(w, st, there); err != nil || st.Kind != entry.KindFolder {
			return err
		}
		return others.Down(there.Name)
	}, func(w *Walk) error {
		others.Up()
		if leave == nil {
			return nil
		}
		return leave(w)
	})
}
