//go:build !darwin && !freebsd

package sys

// HidingFlag is the flag with which the system hides files; 0 if it has none. Tests use another one.
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
