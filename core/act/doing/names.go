package doing

import (
	"strings"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// HiddenNames are the names with a leading dot that were met while entries were
// looked for, by their folders: what hiding could run into. So the folders need
// not be read again.
type HiddenNames struct {
	parts source.Parts[map[*entry.Folder][]string]
}

// Watch returns a condition that chooses what another one does, and notes hidden
// names.
func (h *HiddenNames) Watch(c source.Condition) source.Condition { return &watching{c, h} }

type watching struct {
	source.Condition
	names *HiddenNames
}

// Test implements source.Condition.
func (w *watching) Test() source.Test {
	part := *w.names.parts.New(map[*entry.Folder][]string{})
	test := w.Condition.Test()
	return func(e *entry.Entry, asked entry.Facts) source.Verdict {
		if entry.HiddenName(e.Name) {
			part[e.Folder] = append(part[e.Folder], strings.Clone(e.Name)) // perhaps again, which does no harm
		}
		return test(e, asked)
	}
}

// has reports whether a folder has a hidden name.
func (h *HiddenNames) has(folder *entry.Folder, name string) bool {
	for _, part := range h.parts.All() {
		for _, other := range (*part)[folder] {
			if other == name {
				return true
			}
		}
	}
	return false
}
