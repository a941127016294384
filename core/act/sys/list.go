package sys

import "frankledger/core/entry"

// The extended attributes that hold access lists, as Linux has them after the
// withdrawn draft 17 of POSIX 1003.1e.
const (
	AccessList  = "system.posix_acl_access"
	DefaultList = "system.posix_acl_default" // of a folder, for what is made in it
)

// Narrowed returns permissions that give nobody more than an access list does,
// together with the permissions p that stand beside it: without it, the bits of
// the group are no longer the mask, and whoever was named is one of the group or
// of the others.
func Narrowed(p entry.Permissions, list string) (entry.Permissions, error) {
	parsed, err := entry.ParseAccessList([]byte(list))
	if err != nil {
		return 0, err
	}
	const all = 7
	group, mask, users, groups := entry.Permissions(0), entry.Permissions(all), entry.Permissions(all), entry.Permissions(all)
	hasUsers, hasGroups := false, false
	for _, one := range parsed {
		switch one.Who {
		case entry.AccessGroup:
			group = one.May
		case entry.AccessMask:
			mask = one.May
		case entry.AccessUser:
			users, hasUsers = users&one.May, true
		case entry.AccessNamedGroup:
			groups, hasGroups = groups&one.May, true
		}
	}
	if hasUsers {
		users &= mask
	}
	if hasGroups {
		groups &= mask
	}
	group &= mask & users
	other := p & all & users & groups
	return p&^0o77 | group<<3 | other, nil
}

// OfOthers returns permissions that give nobody more, where owner or group could
// not be kept: whoever was the owner, or of the group, is one of the others now,
// and others may be of the group.
func OfOthers(p entry.Permissions, ownerKept, groupKept bool) entry.Permissions {
	owner, group, other := p>>6&7, p>>3&7, p&7
	if !groupKept {
		group &= other
		other = group
		p &^= entry.SetGroup
	}
	if !ownerKept {
		group &= owner
		other &= owner
		p &^= entry.SetUser
	}
	return p&^0o77 | group<<3 | other
}
