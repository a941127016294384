package cli

import (
	"slices"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/row"
	"frankledger/core/source"
)

// keeping is a list of full paths that is kept for later.
type keeping struct {
	file  string
	lock  sync.Mutex
	seen  []string // all that was looked at and chosen
	shown []string // what the answer is of, where that is something else
}

// Visitor implements source.Sink.
func (k *keeping) Visitor() source.Visitor {
	return func(entries []entry.Entry) error {
		paths := make([]string, len(entries))
		for i := range entries {
			paths[i] = entries[i].FullPath()
		}
		k.lock.Lock()
		defer k.lock.Unlock()
		k.seen = append(k.seen, paths...)
		return nil
	}
}

// paths are those to be kept.
func (k *keeping) paths() row.List[string] {
	if k.shown != nil {
		return k.shown
	}
	slices.Sort(k.seen)
	return k.seen
}
