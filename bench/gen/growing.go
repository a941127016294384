package gen

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
)

// growing makes so many files, or folders, in one folder.
func growing(what, root string, count int) error {
	first := filepath.Join(root, "first")
	if what == "names" {
		if err := os.WriteFile(first, []byte("the same"), 0o644); err != nil {
			return err
		}
	}
	for _, folder := range map[string][]string{"links": {"links", "folders"}, "moved": {"before", "after"}}[what] {
		if err := os.Mkdir(filepath.Join(root, folder), 0o755); err != nil {
			return err
		}
	}
	for i := range count {
		path := filepath.Join(root, fmt.Sprintf("entry-%07d", i))
		name := filepath.Base(path)
		var err error
		switch what {
		case "names":
			err = os.Link(first, path)
		case "alike":
			err = os.WriteFile(path, fmt.Appendf(nil, "%020d", i), 0o644)
		case "links":
			if err = os.Mkdir(filepath.Join(root, "folders", name), 0o755); err == nil {
				err = os.Symlink("../folders/"+name, filepath.Join(root, "links", name))
			}
		case "moved":
			if err = os.WriteFile(filepath.Join(root, "before", name), []byte("the same"), 0o644); err == nil {
				err = os.WriteFile(filepath.Join(root, "after", "now-"+name), []byte("the same"), 0o644)
			}
		case "empties":
			err = os.WriteFile(path, nil, 0o644)
		case "extensions":
			err = os.WriteFile(path+".x"+strconv.Itoa(i), nil, 0o644)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
