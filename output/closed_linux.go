package output

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"golang.org/x/sys/unix"
)

// shells close an output when they are told to; other programs give one.
var shells = []string{"sh", "bash", "dash", "ash", "zsh", "ksh", "mksh", "yash", "fish", "busybox"}

// IsClosed reports whether an output was closed by the shell that ran the program. The
// null device stands in for it then, opened by the runtime to be read from too, as no
// redirection has it. Programs that are no shell, and run this one, may well open the
// null device like that; and a shell may itself have got it from one.
func IsClosed(file *os.File) bool {
	var st, null unix.Stat_t
	if unix.Fstat(int(file.Fd()), &st) != nil {
		return true
	}
	if unix.Stat(os.DevNull, &null) != nil || st.Rdev != null.Rdev || st.Mode&unix.S_IFMT != unix.S_IFCHR {
		return false
	}
	if flags, err := unix.FcntlInt(file.Fd(), unix.F_GETFL, 0); err != nil || flags&unix.O_ACCMODE != unix.O_RDWR {
		return false
	}
	parent := fmt.Sprint("/proc/", os.Getppid())
	name, err := os.ReadFile(parent + "/comm")
	if err != nil || !slices.Contains(shells, strings.TrimSpace(string(name))) {
		return false
	}
	to, err := os.Readlink(fmt.Sprint(parent, "/fd/", file.Fd()))
	return err == nil && to != os.DevNull || os.IsNotExist(err)
}
