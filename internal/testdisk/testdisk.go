// Package testdisk says on which disk tests make their files: in memory where there is
// room, since most of what they take is making files.
package testdisk

import (
	"os"
	"testing"

	"golang.org/x/sys/unix"
)

// memory is a file system in memory, where there is one.
const memory = "/dev/shm"

// enough is how much has to be free in it, in bytes.
const enough = 4 << 30

// Use has t.TempDir make folders in memory from now on, if there is room.
func Use() {
	var fs unix.Statfs_t
	if unix.Statfs(memory, &fs) == nil && uint64(fs.Bavail)*uint64(fs.Bsize) >= enough {
		os.Setenv("TMPDIR", memory)
	}
}

// Other makes a folder on another disk than t.TempDir has, and removes it in the end. It
// skips the test where there is none.
func Other(t *testing.T) string {
	t.Helper()
	var here unix.Stat_t
	if err := unix.Stat(t.TempDir(), &here); err != nil {
		t.Fatal(err)
	}
	for _, folder := range []string{memory, "/tmp", "/var/tmp"} {
		var there unix.Stat_t
		if unix.Stat(folder, &there) != nil || there.Dev == here.Dev {
			continue
		}
		made, err := os.MkdirTemp(folder, "frank-test-")
		if err != nil {
			continue
		}
		t.Cleanup(func() { os.RemoveAll(made) })
		return made
	}
	t.Skip("no other disk was found")
	return ""
}
