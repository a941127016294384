package inspect

import (
	"encoding/binary"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

func TestFindMount(t *testing.T) {
	const mounts = `22 1 254:0 / / rw,relatime shared:1 - ext4 /dev/vda rw
35 22 0:31 / /media/card\040reader\0111 rw - vfat /dev/sdb1 rw
36 22 0:32 / /plain rw shared:7 master:3 - tmpfs none rw
broken line
`
	assert.Equal(t, Disk{"ext4", "/"}, findMount(mounts, 22))
	assert.Equal(t, Disk{"vfat", "/media/card reader\t1"}, findMount(mounts, 35))
	assert.Equal(t, Disk{"tmpfs", "/plain"}, findMount(mounts, 36))
	assert.Equal(t, Disk{}, findMount(mounts, 3))
	assert.Equal(t, Disk{"proc", "/proc"}, diskOf("/proc/self"))
	assert.Equal(t, Disk{}, diskOf("/no/such/file"))
}

// An access list is told from the attributes that people set.
func TestAccessList(t *testing.T) {
	path := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(path, nil, 0o640))
	names, list := attributes(path)
	assert.Empty(t, names)
	assert.False(t, list)

	acl := binary.LittleEndian.AppendUint32(nil, 2) // the version
	for _, e := range []struct {
		tag, permissions uint16
		id               uint32
	}{{1, 6, ^uint32(0)}, {2, 4, 501}, {4, 4, ^uint32(0)}, {16, 4, ^uint32(0)}, {32, 0, ^uint32(0)}} {
		acl = binary.LittleEndian.AppendUint16(acl, e.tag)
		acl = binary.LittleEndian.AppendUint16(acl, e.permissions)
		acl = binary.LittleEndian.AppendUint32(acl, e.id)
	}
	if err := unix.Setxattr(path, "system.posix_acl_access", acl, 0); err != nil {
		t.Skipf("this file system has no access lists: %v", err)
	}
	require.NoError(t, unix.Setxattr(path, "user.b", nil, 0))
	require.NoError(t, unix.Setxattr(path, "user.a", nil, 0))
	names, list = attributes(path)
	assert.Equal(t, []string{"user.a", "user.b"}, names)
	assert.True(t, list)
}
