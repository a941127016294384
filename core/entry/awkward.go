package entry

import (
	"strings"
	"unicode/utf8"

	"frankledger/core/text"
)

// AwkwardName reports whether a name is hard to type on a command line, also in quotes: it
// begins with a dash or a space, ends with a space, has one of ' " ` \ $ ! * ? in it or a
// character that shows nothing, or is not UTF-8.
func AwkwardName(name string) bool {
	if name == "" {
		return false
	}
	if first := name[0]; first == '-' || first == ' ' || name[len(name)-1] == ' ' {
		return true
	}
	plain := true
	for i := range len(name) {
		c := name[i]
		plain = plain && c < utf8.RuneSelf
		if c < ' ' || c == 0x7f || c <= '`' && strings.IndexByte("'\"`\\$!*?", c) >= 0 {
			return true
		}
	}
	if plain {
		return false
	}
	return !utf8.ValidString(name) || strings.ContainsFunc(name, func(r rune) bool { return !text.IsPrintable(r) })
}
