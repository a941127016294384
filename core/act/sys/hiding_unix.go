//go:build darwin || freebsd

package sys

import (
	"golang.org/x/sys/unix"

	"frankledger/core/posix"
)

// hidden is UF_HIDDEN, by which file managers leave a file out (chflags(2)).
const hidden = 0x8000

func hides(fd int) (bool, error) {
	var st unix.Stat_t
	_, err := posix.Retry(func() (int, error) { return 0, unix.Fstat(fd, &st) })
	return uint32(st.Flags)&hidden != 0, err
}

func setHides(fd int, on bool) error {
	var st unix.Stat_t
	if _, err := posix.Retry(func() (int, error) { return 0, unix.Fstat(fd, &st) }); err != nil {
		return err
	}
	flags := uint32(st.Flags) &^ hidden
	if on {
		flags |= hidden
	}
	_, err := posix.Retry(func() (int, error) { return 0, unix.Fchflags(fd, int(flags)) })
	return err
}
