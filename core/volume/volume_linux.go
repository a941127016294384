package volume

import (
	"encoding/hex"
	"fmt"
	"unsafe"

	"golang.org/x/sys/unix"

	"frankledger/core/posix"
)

// Calls to file systems, as the kernel's headers have
// them.
const (
	xfsGeometry     = 0x8100587e // XFS_IOC_FSGEOMETRY
	xfsBigTime      = 1 << 21    // XFS_FSOP_GEOM_FLAGS_BIGTIME
	getUUID         = 0x80111500 // FS_IOC_GETFSUUID
	first32, last32 = -1 << 31, 1<<31 - 1
)

// systems are the kinds of file systems that cannot hold everything, by their numbers (statfs(2)).
var systems = map[uint32]string{
	unix.MSDOS_SUPER_MAGIC: "fat32", unix.EXFAT_SUPER_MAGIC: "exfat", 0x5346544e: "ntfs", 0x7366746e: "ntfs",
}

// Of returns what is known of the file system that an open folder is on.
func Of(at int) (v Volume, err error) {
	var fs unix.Statfs_t
	if _, err = posix.Retry(func() (int, error) { return 0, unix.Fstatfs(at, &fs) }); err != nil {
		return v, err
	}
	v.NameMax, v.ReadOnly = int(fs.Namelen), fs.Flags&unix.ST_RDONLY != 0
	number := uint64(uint32(fs.Fsid.Val[0]))<<32 | uint64(uint32(fs.Fsid.Val[1]))
	kind := uint32(fs.Type)
	v.System = systems[kind]
	switch kind {
	case unix.EXT4_SUPER_MAGIC, unix.BTRFS_SUPER_MAGIC, unix.TMPFS_MAGIC:
		// Made of the UUID and, for btrfs, the subvolume.
		if number != 0 {
			v.ID = fmt.Sprintf("%x-%016x", kind, number)
		}
	case unix.XFS_SUPER_MAGIC:
		var geometry [256]byte
		if ask(at, xfsGeometry, unsafe.Pointer(&geometry)) == nil {
			v.ID = fmt.Sprintf("%x-%s", kind, hex.EncodeToString(geometry[64:80]))
			v.Limited, v.First, v.Last = true, first32, last32
			if *(*uint32)(unsafe.Pointer(&geometry[92]))&xfsBigTime != 0 {
				v.Last = 16_299_260_424 // 2486-07-02
			}
		}
	case unix.OVERLAYFS_SUPER_MAGIC: // has the number of another one
	default:
		var uuid struct {
			length uint8
			bytes  [16]byte
		}
		if ask(at, getUUID, unsafe.Pointer(&uuid)) == nil && uuid.length > 0 {
			v.ID = fmt.Sprintf("%x-%s", kind, hex.EncodeToString(uuid.bytes[:min(uuid.length, 16)]))
		}
	}
	switch kind {
	case unix.EXT4_SUPER_MAGIC:
		v.Limited, v.First, v.Last = true, first32, 15_032_385_535
		if !hasBirth(at) { // inodes of 128 bytes have room for seconds of 32 bits
			v.Last, v.Grain = last32, 1e9
		}
	case unix.MSDOS_SUPER_MAGIC:
		v.Grain = 2e9
	case unix.EXFAT_SUPER_MAGIC:
		v.Grain = 1e7
	}
	if kind == unix.MSDOS_SUPER_MAGIC || kind == unix.EXFAT_SUPER_MAGIC {
		v.Limited, v.First, v.Last = true, 315_532_800-14*3600, 4_354_819_199+14*3600 // in local time
		v.NoLinks = true
	}
	return v, nil
}

// hasBirth reports whether the inode of an open folder says when it was made.
func hasBirth(at int) bool {
	var x unix.Statx_t
	_, err := posix.Retry(func() (int, error) { return 0, unix.Statx(at, "", unix.AT_EMPTY_PATH, unix.STATX_BTIME, &x) })
	return err != nil || x.Mask&unix.STATX_BTIME != 0
}

// ask asks a file system something, by a handle that may be read from.
func ask(at int, request uintptr, answer unsafe.Pointer) error {
	fd, err := posix.Retry(func() (int, error) {
		return unix.Openat(at, ".", unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	})
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	if _, _, errno := unix.Syscall(unix.SYS_IOCTL, uintptr(fd), request, uintptr(answer)); errno != 0 {
		return errno
	}
	return nil
}
