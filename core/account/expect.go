package account

import (
	"frankledger/core/entry"
	"frankledger/core/source"
)

// Expecting returns a sink that expects the owners and groups of all entries that it is given.
func Expecting(names *Names) source.Sink {
	return source.SinkFunc(func() source.Visitor {
		users, groups := newlyMet(names.ExpectUser), newlyMet(names.ExpectGroup)
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
	last, any := uint32(0), false
	return func(id uint32) {
		if any && id == last {
			return
		}
		last, any = id, true
		if _, is := met[id]; !is {
			met[id] = struct{}{}
			pass(id)
		}
	}
}
