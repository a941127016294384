package live

import (
	"errors"

	"frankledger/core/entry"
	"frankledger/core/live/calls"
)

// askDetails gets what systems have besides the facts of POSIX.
func (w *worker) askDetails(at int, name string, e *entry.Entry, wanted entry.Facts) {
	if wanted&(entry.FactXattrs|entry.FactFlags|entry.FactMount) == 0 {
		return
	}
	more := w.extra(e)
	if more.Details == nil {
		more.Details = &entry.Details{}
	}
	d := more.Details
	for _, one := range []struct {
		fact  entry.Facts
		tried string
		ask   func() error
	}{
		{entry.FactXattrs, "read the attributes of", func() error { return calls.ReadXattrs(at, name, d) }},
		{entry.FactFlags, "read the flags of", func() error { return calls.ReadFlags(at, name, d) }},
		{entry.FactMount, "find the file system of", func() error { return w.mounts.Of(at, name, e, d) }},
	} {
		if wanted&one.fact == 0 {
			continue
		}
		switch err := one.ask(); {
		case err == nil:
			e.Known |= one.fact
		case !errors.Is(err, errors.ErrUnsupported): // else it is not known on this system
			w.untold(one.fact, e, one.tried, err)
		}
	}
}
