package typeset

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// ShellQuoted returns text as one word of a POSIX shell, which may be pasted: in
// quotes, where that is needed. What could act on a terminal, or is no text, is escaped in the form
// $'…' (POSIX.1-2024, section 2.2.4).
func ShellQuoted(text string) string {
	plain := func(r rune) bool {
		return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("/._-+,:=@%", r)
	}
	switch {
	case text != "" && strings.IndexFunc(text, func(r rune) bool { return !plain(r) }) < 0:
		return text
	case strings.IndexFunc(text, acts) >= 0:
		return dollarQuoted(text)
	}
	return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'"
}

// acts reports whether a character is not shown as it is, or does something to a terminal.
func acts(r rune) bool {
	return r == utf8.RuneError || unicode.In(r, unicode.C, unicode.Zl, unicode.Zp)
}

// dollarQuoted quotes text with escapes.
func dollarQuoted(text string) string {
	quoted := []byte("$'")
	for len(text) > 0 {
		r, length := utf8.DecodeRuneInString(text)
		switch {
		case acts(r):
			for i := range length {
				quoted = fmt.Appendf(quoted, "\\%03o", text[i])
			}
		case r == '\'' || r == '\\':
			quoted = append(quoted, '\\', byte(r))
		default:
			quoted = append(quoted, text[:length]...)
		}
		text = text[length:]
	}
	return string(append(quoted, '\''))
}
