//go:build unix && !linux

package output

import (
	"errors"
	"os"
)

// openUnnamed always fails: these systems have no files without a name.
func openUnnamed(string) (*os.File, error) { return nil, errors.ErrUnsupported }

func linkUnnamed(*os.File, string) error { return errors.ErrUnsupported }
