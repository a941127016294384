package live

import (
	"unsafe"

	"golang.org/x/sys/unix"

	"frankledger/core/digest"
	"frankledger/core/entry"
)

// Of the call that maps the extents of a file, from linux/fiemap.h.
const (
	fsIocFiemap        = 0xc020660b
	fiemapLast         = 0x1
	fiemapEncoded      = 0x8
	fiemapShared       = 0x2000
	fiemapExtentsAtOne = 64
)

type fiemapExtent struct {
	logical, physical, length uint64
	_                         [2]uint64
	flags                     uint32
	_                         [3]uint32
}

type fiemap struct {
	start, length                 uint64
	flags, mapped, count, padding uint32
	extents                       [fiemapExtentsAtOne]fiemapExtent
}

// sharing are the file systems whose files can share blocks, and those that do not tell
// what is under them.
var sharing = map[int64]bool{unix.BTRFS_SUPER_MAGIC: true, unix.XFS_SUPER_MAGIC: true, unix.OCFS2_SUPER_MAGIC: true,
	unix.BCACHEFS_SUPER_MAGIC: true, unix.OVERLAYFS_SUPER_MAGIC: true}

// Extents implements digest.File.
func (c *content) Extents() (x digest.Extents) {
	var system unix.Statfs_t
	if unix.Fstatfs(c.fd, &system) != nil || !sharing[int64(uint32(system.Type))] {
		return x
	}
	var m fiemap
	for {
		m.length, m.count, m.mapped = ^uint64(0)-m.start, fiemapExtentsAtOne, 0
		_, _, errno := unix.Syscall(unix.SYS_IOCTL, uintptr(c.fd), fsIocFiemap, uintptr(unsafe.Pointer(&m)))
		if errno != 0 || m.mapped == 0 { // a file system that does not tell
			return x
		}
		for _, e := range m.extents[:m.mapped] {
			if e.flags&fiemapShared != 0 {
				x.Shared = append(x.Shared, digest.Extent{At: e.physical, Length: e.length})
			}
			x.Encoded = x.Encoded || e.flags&fiemapEncoded != 0
			m.start = e.logical + e.length
			if e.flags&fiemapLast != 0 {
				return x
			}
		}
	}
}

// Numbers that linux/magic.h has not: they stand in the sources of these file systems.
const (
	configfsMagic = 0x62656570
	fusectlMagic  = 0x65735543
)

// made are the file systems that make what is in a file as it is read.
var made = map[int64]bool{unix.PROC_SUPER_MAGIC: true, unix.SYSFS_MAGIC: true, unix.DEBUGFS_MAGIC: true, unix.TRACEFS_MAGIC: true, unix.SECURITYFS_MAGIC: true,
	unix.CGROUP_SUPER_MAGIC: true, unix.CGROUP2_SUPER_MAGIC: true, configfsMagic: true, unix.SELINUX_MAGIC: true, fusectlMagic: true}

// madeWhenRead tells what sizes say on the file system of an entry in an open folder.
func madeWhenRead(at int, e *entry.Entry) sizes {
	var system unix.Statfs_t
	var err error
	if at == unix.AT_FDCWD {
		err = unix.Statfs(e.Folder.Place.Given, &system)
	} else {
		err = unix.Fstatfs(at, &system)
	}
	switch kind := int64(uint32(system.Type)); {
	case err != nil:
	case made[kind]:
		return sizesMade
	case kind == unix.FUSE_SUPER_MAGIC: // programs that do not know how long a file will be say 0
		return sizesOfNone
	}
	return sizesTold
}
