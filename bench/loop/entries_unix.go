//go:build unix && !linux

package loop

import (
	"errors"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// entries reads every folder below root. With facts, it also asks for the status
// of every entry.
func entries(root string, facts bool) (count int, err error) {
	folder, err := os.Open(root)
	if err != nil {
		return 0, err
	}
	found, err := folder.ReadDir(-1)
	if err != nil {
		folder.Close()
		return 0, err
	}
	for _, e := range found {
		count++
		if facts {
			var st unix.Stat_t
			if err := unix.Fstatat(int(folder.Fd()), e.Name(), &st, unix.AT_SYMLINK_NOFOLLOW); err != nil {
				folder.Close()
				return count, err
			}
		}
	}
	folder.Close()
	for _, e := range found {
		if e.IsDir() {
			below, err := entries(filepath.Join(root, e.Name()), facts)
			if count += below; err != nil {
				return count, err
			}
		}
	}
	return count, nil
}

// entriesBy is only written for Linux.
func entriesBy(int, string, bool) (int, error) {
	return 0, errors.New("a loop with several threads is only written for Linux")
}
