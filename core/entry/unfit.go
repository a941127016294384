package entry

import (
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// Unfit returns why a kind of file system cannot hold something of that name, kind and size in bytes; "" if it can,
// or if nothing is known of the file system. What a size is not known of, or what has none, has 0. The rules are those
// of FAT32 with long names, exFAT, NTFS as Windows uses it, and ISO 9660 with Joliet.
func Unfit(system, name string, kind Kind, size int64) (why string) {
	s, known := systems[system]
	if !known {
		return ""
	}
	units := len(utf16.Encode([]rune(name)))
	switch {
	case kind != KindFile && kind != KindFolder:
		return "it cannot hold a " + kind.String()
	case !utf8.ValidString(name):
		return "its name is not UTF-8"
	case units > s.longest:
		return "its name is too long"
	case strings.ContainsFunc(name, func(r rune) bool { return r < ' ' }):
		return "its name has a control character"
	case strings.ContainsAny(name, s.without):
		at := strings.IndexAny(name, s.without)
		return "its name has " + name[at:at+1]
	case strings.HasSuffix(name, ".") || strings.HasSuffix(name, " "):
		return "its name ends with a dot or a space"
	case s.devices && isDevice(name):
		return "its name means a device there"
	case kind == KindFile && size > s.largest:
		return "it is too large"
	}
	return ""
}

// system is what a kind of file system can hold.
type system struct {
	without string // characters
	longest int    // name, in units of UTF-16
	largest int64  // file, in bytes
	devices bool   // names of devices are none of files
}

const (
	fourGiB  = 1<<32 - 1
	anySize  = 1<<63 - 1
	reserved = `"*/:<>?\|`
)

// systemNames are the kinds of file systems that are asked about, in the order that they are told in.
var systemNames = []string{"fat32", "exfat", "ntfs", "iso9660"}

var systems = map[string]system{
	"fat32": {reserved, 255, fourGiB, false}, "exfat": {reserved, 255, anySize, false},
	"ntfs": {reserved, 255, anySize, true}, "iso9660": {`*/:;?\`, 64, fourGiB, false},
}

// isDevice reports whether Windows takes a name for that of a device, whatever its extension.
func isDevice(name string) bool {
	stem, _, _ := strings.Cut(strings.ToUpper(name), ".")
	switch stem {
	case "CON", "PRN", "AUX", "NUL":
		return true
	}
	number, is := strings.CutPrefix(stem, "COM")
	if !is {
		number, is = strings.CutPrefix(stem, "LPT")
	}
	return is && len(number) == 1 && '1' <= number[0] && number[0] <= '9'
}

// appendUnfit appends the file systems that cannot hold an entry.
func appendUnfit(dst []byte, e *Entry) ([]byte, bool) {
	start := len(dst)
	for _, name := range systemNames {
		if Unfit(name, e.Name, e.Kind, e.Size) == "" {
			continue
		}
		if len(dst) > start {
			dst = append(dst, ", "...)
		}
		dst = append(dst, name...)
	}
	return dst, len(dst) > start
}
