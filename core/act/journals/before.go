package journals

import (
	"path"

	"frankledger/core/entry"
)

// Kept are the fields of entries that a journal keeps.
var Kept = []string{"name", "stem", "ext", "path", "full_path", "folder", "kind", "size", "modified", "age", "accessed", "mode", "permissions", "hidden", "awkward"}

// Before returns what a step is about, as it was before it. Only the fields of [Kept] are known of it.
func (s *PastStep) Before() *entry.Entry {
	dir := path.Dir(string(s.Path))
	e := &entry.Entry{Name: path.Base(string(s.Path)), Folder: &entry.Folder{Place: &entry.Place{Given: dir, Full: dir}}, Size: s.Size, Known: entry.FactStatus,
		Modified: entry.Time(s.Modified), Accessed: entry.Time(s.Accessed)}
	e.Kind, _ = entry.KindNamed(s.Kind)
	if mode, err := entry.ParsePermissions(s.Mode); err == nil {
		e.Permissions = mode
	}
	return e
}
