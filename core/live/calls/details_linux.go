package calls

import (
	"errors"
	"os"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"

	"frankledger/core/entry"
	"frankledger/core/posix"
)

// ReadXattrs gets the names of the extended attributes of an entry, and reads access lists and capabilities.
func ReadXattrs(at int, name string, d *entry.Details) error {
	path := posix.ByHandle(at, name)
	list, err := posix.Grown(func(room []byte) (int, error) { return unix.Llistxattr(path, room) })
	if errors.Is(err, unix.ENOTSUP) || err == nil && len(list) == 0 {
		return nil
	}
	if err != nil {
		return err
	}
	for _, key := range keysOf(string(list)) {
		err := takeXattr(d, key, func() ([]byte, error) {
			return posix.Grown(func(room []byte) (int, error) { return unix.Lgetxattr(path, key, room) })
		})
		if err != nil && !errors.Is(err, unix.ENODATA) {
			return err
		}
	}
	return nil
}

// flagWords are the flags that the system tells without opening anything.
var flagWords = []struct {
	bit  uint64
	word string
}{
	{unix.STATX_ATTR_APPEND, "append-only"}, {unix.STATX_ATTR_COMPRESSED, "compressed"}, {unix.STATX_ATTR_DAX, "dax"}, {unix.STATX_ATTR_ENCRYPTED, "encrypted"},
	{unix.STATX_ATTR_IMMUTABLE, "immutable"}, {unix.STATX_ATTR_NODUMP, "no-dump"}, {unix.STATX_ATTR_VERITY, "verity"},
}

const quietly = unix.AT_SYMLINK_NOFOLLOW | unix.AT_NO_AUTOMOUNT

// ReadFlags gets the flags of an entry.
func ReadFlags(at int, name string, d *entry.Details) error {
	var x unix.Statx_t
	if _, err := posix.Retry(func() (int, error) { return 0, unix.Statx(at, name, quietly, 0, &x) }); err != nil {
		return err
	}
	for _, one := range flagWords {
		if x.Attributes&one.bit != 0 {
			d.Flags = append(d.Flags, one.word)
		}
	}
	return nil
}

// Mounts are what is known of mounts, by their numbers.
type Mounts map[uint64]mounted

type mounted struct{ Kind, At string }

var errNoMount = errors.New("it is in no list of mounts")

// Of finds the file system that an entry is on, and where it is mounted.
func (m *Mounts) Of(at int, name string, _ *entry.Entry, d *entry.Details) error {
	var x unix.Statx_t
	if _, err := posix.Retry(func() (int, error) { return 0, unix.Statx(at, name, quietly, unix.STATX_MNT_ID, &x) }); err != nil {
		return err
	}
	found, known := (*m)[x.Mnt_id]
	if !known {
		text, err := os.ReadFile("/proc/self/mountinfo")
		if err != nil {
			return err
		}
		*m = readMounts(string(text))
		if found, known = (*m)[x.Mnt_id]; !known {
			return errNoMount
		}
	}
	d.Filesystem, d.Mount = found.Kind, found.At
	return nil
}

// readMounts reads text like /proc/self/mountinfo: of a mount the number first, where it
// is fifth, and the kind after a lone dash.
func readMounts(text string) Mounts {
	all := Mounts{}
	for line := range strings.SplitSeq(text, "\n") {
		before, after, found := strings.Cut(line, " - ")
		parts := strings.Fields(before)
		if !found || len(parts) < 5 {
			continue
		}
		number, err := strconv.ParseUint(parts[0], 10, 64)
		if err != nil {
			continue
		}
		kind, _, _ := strings.Cut(after, " ")
		all[number] = mounted{kind, unescapeOctal(parts[4])}
	}
	return all
}

// unescapeOctal undoes \040 and the like.
func unescapeOctal(text string) string {
	var b strings.Builder
	for i := 0; i < len(text); i++ {
		if text[i] == '\\' && i+3 < len(text) {
			if c, err := strconv.ParseUint(text[i+1:i+4], 8, 8); err == nil {
				b.WriteByte(byte(c))
				i += 3
				continue
			}
		}
		b.WriteByte(text[i])
	}
	return b.String()
}
