package gen

import (
	"fmt"
	"os"
	"path/filepath"
)

const (
	hideFolders = 500
	hideFiles   = 200
)

// act makes the folders to act in.
func act(root string, entries int) error {
	if err := os.Mkdir(filepath.Join(root, "plan"), 0o755); err != nil {
		return err
	}
	if _, _, err := tree(filepath.Join(root, "plan"), entries); err != nil {
		return err
	}
	for i := range hideFolders {
		folder := filepath.Join(root, "hides", fmt.Sprint("folder-", i))
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return err
		}
		for j := range hideFiles {
			if err := os.WriteFile(filepath.Join(folder, fmt.Sprintf("name-%04d.txt", j)), nil, 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}
