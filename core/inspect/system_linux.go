package inspect

import (
	"os"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// diskOf looks a file system up in the system's list of mounts.
func diskOf(path string) Disk {
	var x unix.Statx_t
	if err := unix.Statx(unix.AT_FDCWD, path, unix.AT_SYMLINK_NOFOLLOW|unix.AT_NO_AUTOMOUNT, unix.STATX_MNT_ID, &x); err != nil {
		return Disk{}
	}
	mounts, err := os.ReadFile("/proc/self/mountinfo")
	if err != nil {
		return Disk{}
	}
	return findMount(string(mounts), x.Mnt_id)
}

// findMount finds a mount by its number in text like /proc/self/mountinfo: the
// number first, the mount point fifth, and the kind after a lone dash.
func findMount(mounts string, id uint64) Disk {
	for line := range strings.SplitSeq(mounts, "\n") {
		before, after, found := strings.Cut(line, " - ")
		parts := strings.Fields(before)
		if !found || len(parts) < 5 || parts[0] != strconv.FormatUint(id, 10) {
			continue
		}
		kind, _, _ := strings.Cut(after, " ")
		return Disk{Kind: kind, MountPoint: unescapeOctal(parts[4])}
	}
	return Disk{}
}

// unescapeOctal undoes \040 and the like.
func unescapeOctal(text string) string {
	var b strings.Builder
	for i := 0; i < len(text); i++ {
		if text[i] == '\\' && i+3 < len(text) {
			if c, err := strconv.ParseUint(text[i+1:i+4], 8, 8); err == nil {
				b.WriteByte(byte(c))
				i += 3
				continue
			}
		}
		b.WriteByte(text[i])
	}
	return b.String()
}
