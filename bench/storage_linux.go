package main

import (
	"fmt"
	"os"
	"time"

	"frankledger/internal/slowfs"
)

// dropCaches has the system forget what it has read. Only root may.
func dropCaches() error { return os.WriteFile("/proc/sys/vm/drop_caches", []byte("3"), 0o200) }

const (
	slowFolders = 200
	slowFiles   = 10
	slowDelay   = 5 * time.Millisecond
)

// mountSlow mounts a file system that takes its time.
func mountSlow(dir string) (made string, unmount func(), err error) {
	slow, err := slowfs.Mount(dir, slowFolders, slowFiles, slowDelay)
	if err != nil {
		return "", nil, fmt.Errorf("the shape slow needs root, and the system's support: %w", err)
	}
	made = fmt.Sprintf("%d files in %d folders, on a file system that takes %v to answer", slowFolders*slowFiles, slowFolders, slowDelay)
	return made, func() { slow.Unmount() }, nil
}

// bestCold returns the loop that is the fastest with nothing in memory.
func bestCold(p *place, loop string) (best []string, err error) {
	least := time.Duration(0)
	for _, threads := range coldThreads {
		if err := dropCaches(); err != nil {
			return nil, err
		}
		args := []string{p.self, "loop", fmt.Sprint(loop, threads), p.tree}
		u, err := take(args)
		if err != nil {
			return nil, err
		}
		fmt.Printf("%24s %s with %d threads: %.2f s\n", "", loop, threads, u.wall.Seconds())
		if best == nil || u.wall < least {
			best, least = args, u.wall
		}
	}
	return best, nil
}
