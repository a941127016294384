package cli_test

import (
	"testing"

	"golang.org/x/sys/unix"
)

// smallDisk mounts a small disk on a folder, or skips the test.
func smallDisk(t *testing.T, folder, size string) {
	if err := unix.Mount("tmpfs", folder, "tmpfs", 0, "size="+size); err != nil {
		t.Skip("no disk could be mounted here:", err)
	}
	t.Cleanup(func() { unix.Unmount(folder, unix.MNT_DETACH) })
}
