package loop

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// renameAll gives every file in the folder to hide in a leading dot, or takes it
// off: the least that hiding can be.
func renameAll(root string, hide bool) error {
	var paths []string
	if err := filepath.WalkDir(filepath.Join(root, "hides"), func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			paths = append(paths, path)
		}
		return err
	}); err != nil {
		return err
	}
	for _, path := range paths {
		folder, name := filepath.Split(path)
		to := "." + name
		if !hide {
			to = strings.TrimPrefix(name, ".")
		}
		if err := os.Rename(path, folder+to); err != nil {
			return err
		}
	}
	return nil
}
