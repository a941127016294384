package openat

import (
	"errors"

	"golang.org/x/sys/unix"
)

// Spot is a name in an open folder.
type Spot struct {
	At   int
	Name string
}

// Taken says what it means that a name was not free.
func Taken(err error) error {
	if errors.Is(err, unix.EEXIST) {
		return ErrTaken
	}
	return err
}
