//go:build linux || darwin || freebsd

package inspect

import (
	"slices"
	"strings"

	"golang.org/x/sys/unix"
)

// attributes lists the names of extended attributes, and reports whether there is
// an access list, which Linux keeps as attributes that are not listed here.
func attributes(path string) (names []string, accessList bool) {
	size, err := unix.Llistxattr(path, nil)
	if err != nil || size == 0 {
		return nil, false
	}
	buf := make([]byte, size)
	if size, err = unix.Llistxattr(path, buf); err != nil {
		return nil, false
	}
	for name := range strings.SplitSeq(strings.TrimRight(string(buf[:size]), "\x00"), "\x00") {
		if strings.HasPrefix(name, "system.posix_acl_") {
			accessList = true
		} else {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names, accessList
}
