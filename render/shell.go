package render

import "strings"

// ShellQuoted returns text as one word of a POSIX shell, which may be pasted: in
// quotes, where that is needed.
func ShellQuoted(text string) string {
	plain := func(r rune) bool {
		return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("/._-+,:=@%", r)
	}
	if text != "" && strings.IndexFunc(text, func(r rune) bool { return !plain(r) }) < 0 {
		return text
	}
	return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'"
}
