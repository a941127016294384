package live

import (
	"errors"
	"slices"
	"strings"

	"frankledger/core/entry"
)

// The extended attributes that are told in words.
const (
	accessAttribute     = "system.posix_acl_access"
	defaultAttribute    = "system.posix_acl_default"
	capabilityAttribute = "security.capability"
)

// askDetails gets what systems have beside the facts of POSIX.
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
		{entry.FactXattrs, "read the attributes of", func() error { return readXattrs(at, name, d) }},
		{entry.FactFlags, "read the flags of", func() error { return readFlags(at, name, d) }},
		{entry.FactMount, "find the file system of", func() error { return w.mounts.of(at, name, e, d) }},
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

// takeXattr takes in an extended attribute. What is told in words is read.
func takeXattr(d *entry.Details, key string, value func() ([]byte, error)) error {
	switch key {
	case accessAttribute, defaultAttribute:
		raw, err := value()
		if err != nil {
			return err
		}
		list, err := entry.ParseAccessList(raw)
		if err != nil {
			return err
		}
		if key == accessAttribute {
			d.Access = list
		} else {
			d.Default = list
		}
		return nil
	case capabilityAttribute:
		raw, err := value()
		if err != nil {
			return err
		}
		if d.Capabilities, err = entry.ParseCapabilities(raw); err != nil {
			return err
		}
	}
	d.Xattrs = append(d.Xattrs, key)
	return nil
}

// keysOf parts the list of the names of attributes.
func keysOf(list string) []string {
	keys := strings.Split(strings.TrimRight(list, "\x00"), "\x00")
	slices.Sort(keys)
	return keys
}
