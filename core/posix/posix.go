// Package posix has what every call of the system needs: it is made again where a signal interrupted it, and it
// converts its times and errors.
package posix

import (
	"errors"
	"io/fs"
	"os"
	"time"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
)

// Retry makes a call again while a signal interrupts it.
func Retry(call func() (int, error)) (int, error) {
	begun := time.Time{}
	if watch != nil {
		begun = time.Now()
	}
	for {
		n, err := call()
		if err != unix.EINTR {
			if watch != nil {
				watch.note(time.Since(begun), err)
			}
			return n, err
		}
	}
}

// TimeOf is a moment as the system has it.
func TimeOf(t unix.Timespec) entry.Time {
	sec, nsec := t.Unix()
	return entry.Time{Sec: sec, Nsec: uint32(nsec)}
}

// Reason is what the system said, without the call and the path.
func Reason(err error) error {
	var path *fs.PathError
	var link *os.LinkError
	switch {
	case errors.As(err, &path):
		return path.Err
	case errors.As(err, &link):
		return link.Err
	}
	return err
}
