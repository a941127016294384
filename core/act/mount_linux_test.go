package act_test

import (
	"testing"
	"unsafe"

	"golang.org/x/sys/unix"
)

// smallDisk mounts a small disk on a folder, or skips the test.
func smallDisk(t *testing.T, folder, size string) {
	if err := unix.Mount("tmpfs", folder, "tmpfs", 0, "size="+size); err != nil {
		t.Skip("no disk could be mounted here:", err)
	}
	t.Cleanup(func() { unix.Unmount(folder, unix.MNT_DETACH) })
}

// uintptrOf returns where the first of some numbers is, for a call of the system.
func uintptrOf(list []uint32) uintptr { return uintptr(unsafe.Pointer(&list[0])) }
