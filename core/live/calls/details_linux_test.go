//go:build linux

package calls

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestReadMounts(t *testing.T) {
	assert.Equal(t, Mounts{22: {"ext4", "/"}, 35: {"vfat", "/media/card reader\t1"}, 36: {"tmpfs", "/plain"}}, readMounts(`22 1 254:0 / / rw,relatime shared:1 - ext4 /dev/vda rw
35 22 0:31 / /media/card\040reader\0111 rw - vfat /dev/sdb1 rw
36 22 0:32 / /plain rw shared:7 master:3 - tmpfs none rw
broken line
`))
}
