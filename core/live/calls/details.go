package calls

import (
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
