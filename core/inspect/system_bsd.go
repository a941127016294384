//go:build darwin || freebsd

package inspect

import "golang.org/x/sys/unix"

// diskOf asks the system for the file system.
func diskOf(path string) Disk {
	var fs unix.Statfs_t
	if err := unix.Statfs(path, &fs); err != nil {
		return Disk{}
	}
	return Disk{Kind: unix.ByteSliceToString(fs.Fstypename[:]), MountPoint: unix.ByteSliceToString(fs.Mntonname[:])}
}
