//go:build unix && !linux

package live_test

import "errors"

func mount(string) error { return errors.ErrUnsupported }
