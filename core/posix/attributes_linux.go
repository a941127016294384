package posix

import (
	"errors"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// ByHandle returns a path for calls that know no open folders, of a name in one. The way
// to the folder is its handle, so that only the last name is looked up.
func ByHandle(at int, name string) string {
	if at == unix.AT_FDCWD || strings.HasPrefix(name, "/") {
		return name
	}
	return "/proc/self/fd/" + strconv.Itoa(at) + "/" + name
}

// Grown makes a call that fills some room with ever more of it until that is enough.
func Grown(call func(room []byte) (int, error)) ([]byte, error) {
	for size := 256; ; size *= 8 {
		room := make([]byte, size)
		n, err := Retry(func() (int, error) { return call(room) })
		if !errors.Is(err, unix.ERANGE) || size > 1<<20 {
			return room[:max(n, 0)], err
		}
	}
}
