//go:build !linux

package output

import "os"

// IsClosed reports whether an output was closed by the shell that ran the program. These
// systems have no way to tell that from a null device that was given.
func IsClosed(*os.File) bool { return false }
