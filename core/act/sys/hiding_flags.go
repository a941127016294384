//go:build !darwin && !freebsd

package sys

// HidingFlag is the flag by which the system hides files; 0 where it has none. Tests take another one for it.
var HidingFlag uint32

func hides(fd int) (bool, error) {
	if HidingFlag == 0 {
		return false, ErrNotSupported
	}
	flags, err := flagsOf(fd)
	return flags&HidingFlag != 0, err
}

func setHides(fd int, on bool) error {
	if HidingFlag == 0 {
		return ErrNotSupported
	}
	flags, err := flagsOf(fd)
	if err != nil {
		return err
	}
	if flags &^= HidingFlag; on {
		flags |= HidingFlag
	}
	return setFlags(fd, flags)
}
