package source

import "frankledger/core/entry"

// Owners is a sink that tells two functions of all users and groups that own entries: of each
// number once, from each visitor.
func Owners(user, group func(uint32)) Sink {
	return SinkFunc(func() Visitor {
		users, groups := newlyMet(user), newlyMet(group)
		return func(entries []entry.Entry) error {
			for i := range entries {
				if e := &entries[i]; e.Known&entry.FactStatus != 0 {
					users(e.UID)
					groups(e.GID)
				}
			}
			return nil
		}
	})
}

// newlyMet returns a function that passes on each number once.
func newlyMet(pass func(uint32)) func(uint32) {
	met := map[uint32]struct{}{}
	last := ^uint32(0) // no number of a user or group
	return func(id uint32) {
		if id == last {
			return
		}
		last = id
		if _, is := met[id]; !is {
			met[id] = struct{}{}
			pass(id)
		}
	}
}
