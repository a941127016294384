//go:build unix && !linux

package main

import (
	"errors"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// loop reads every folder below root. With facts, it also asks for the status
// of every entry.
func loop(root string, facts bool) (entries int, err error) {
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
		entries++
		if facts {
			var st unix.Stat_t
			if err := unix.Fstatat(int(folder.Fd()), e.Name(), &st, unix.AT_SYMLINK_NOFOLLOW); err != nil {
				folder.Close()
				return entries, err
			}
		}
	}
	folder.Close()
	for _, e := range found {
		if e.IsDir() {
			below, err := loop(filepath.Join(root, e.Name()), facts)
			if entries += below; err != nil {
				return entries, err
			}
		}
	}
	return entries, nil
}

// loopWith is only written for Linux.
func loopWith(int, string, bool) (int, error) {
	return 0, errors.New("a loop with several threads is only written for Linux")
}
