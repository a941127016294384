package typeset

import (
	"encoding/binary"
	"strings"
	"unicode/utf8"
	"unsafe"

	"github.com/mattn/go-runewidth"

	"frankledger/core/text"
)

// Escaped returns text that acts on no terminal and cannot be taken for other
// text: control characters, characters that turn the direction of writing or
// show nothing, and bytes that are not UTF-8 become escapes as in C and Go
// (\n, \x1b, \u202e), and so does the backslash itself.
func Escaped(text string) string {
	if !Strange(text) {
		return text
	}
	return EscapeAll(text)
}

// EscapeAll escapes text that has something to escape; see [Escaped].
func EscapeAll(value string) string {
	var b strings.Builder
	for i := 0; i < len(value); {
		r, size := utf8.DecodeRuneInString(value[i:])
		switch {
		case r == utf8.RuneError && size == 1:
			b.WriteString(`\x`)
			b.WriteString(hex(uint32(value[i]), 2))
		case r == '\\':
			b.WriteString(`\\`)
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\t':
			b.WriteString(`\t`)
		case r == '\r':
			b.WriteString(`\r`)
		case text.IsPrintable(r):
			b.WriteRune(r)
		case r < 0x80:
			b.WriteString(`\x`)
			b.WriteString(hex(uint32(r), 2))
		case r < 0x10000:
			b.WriteString(`\u`)
			b.WriteString(hex(uint32(r), 4))
		default:
			b.WriteString(`\U`)
			b.WriteString(hex(uint32(r), 8))
		}
		i += size
	}
	return b.String()
}

func hex(n uint32, width int) string {
	const digits = "0123456789abcdef"
	text := make([]byte, width)
	for i := width - 1; i >= 0; i-- {
		text[i] = digits[n&15]
		n >>= 4
	}
	return string(text)
}

// Strange reports whether text has anything to escape.
func Strange[T string | []byte](text T) bool {
	_, strange := Look(text)
	return strange
}

// Look reports whether a value is ASCII with nothing to escape, and whether it has anything
// to escape.
func Look[T string | []byte](value T) (plain, strange bool) {
	plain = true
	for i := plainStart(value); i < len(value); {
		if c := value[i]; c < utf8.RuneSelf {
			if odd[c] {
				return false, true
			}
			i++
			continue
		}
		plain = false
		r, size := utf8.DecodeRune(bytesOf(value)[i:])
		if r == utf8.RuneError && size == 1 || !text.IsPrintable(r) {
			return false, true
		}
		i += size
	}
	return plain, false
}

// plainStart returns how much of text at its start is ASCII with nothing to escape: in
// whole groups of eight bytes, which are looked at together.
func plainStart[T string | []byte](text T) (n int) {
	const each, high = 0x0101010101010101, 0x8080808080808080
	for rest := bytesOf(text); len(rest) >= 8; rest = rest[8:] {
		x := binary.LittleEndian.Uint64(rest)
		backslash, rubout := x^'\\'*each, x^0x7f*each
		// A byte is below a limit, or nothing, if taking that away needs its highest bit,
		// which in ASCII is not set.
		if (x|(x-' '*each)|(backslash-each)|(rubout-each))&high != 0 {
			break
		}
		n += 8
	}
	return n
}

// bytesOf returns the bytes of text, which are not to be altered.
func bytesOf[T string | []byte](text T) []byte {
	switch text := any(text).(type) {
	case string:
		return unsafe.Slice(unsafe.StringData(text), len(text))
	case []byte:
		return text
	}
	return nil
}

// odd tells which ASCII characters have to be escaped.
var odd = func() (odd [utf8.RuneSelf]bool) {
	for c := range odd {
		odd[c] = c < ' ' || c == 0x7f || c == '\\'
	}
	return odd
}()

// cells measures text as a terminal shows it, the same whatever the locale.
var cells = &runewidth.Condition{StrictEmojiNeutral: true}

// Width returns how many columns of a terminal text takes.
func Width[T string | []byte](text T) int {
	for i := plainStart(text); i < len(text); i++ {
		if text[i] >= utf8.RuneSelf {
			return cells.StringWidth(string(text))
		}
	}
	return len(text)
}

// Truncate cuts text off that is wider than the limit, with a tail in its place.
func Truncate(text string, limit int, tail string) string { return cells.Truncate(text, limit, tail) }

// Shorten takes the middle out of text that is wider than the limit, so that
// start and end, with the extension, can still be read.
func Shorten(text string, limit int) string {
	if Width(text) <= limit {
		return text
	}
	if limit < 1 {
		return ""
	}
	room := limit - 1
	if plain, _ := Look(text); plain { // a column a byte
		return text[:room-room/2] + "…" + text[len(text)-room/2:]
	}
	end := cells.TruncateLeft(text, Width(text)-room/2, "")
	return cells.Truncate(text, room-Width(end), "") + "…" + end
}

const spaces = "                                                                "

// Fill appends spaces.
func Fill(dst []byte, n int) []byte {
	for n > len(spaces) {
		dst = append(dst, spaces...)
		n -= len(spaces)
	}
	if n <= 0 {
		return dst
	}
	return append(dst, spaces[:n]...)
}

// DigitGroup is in groups of how many digits are shown: what a reader may keep in mind.
const DigitGroup = 8

// Groups parts digits into groups.
func Groups(digits string) string {
	var b strings.Builder
	for i := 0; i < len(digits); i += DigitGroup {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(digits[i:min(i+DigitGroup, len(digits))])
	}
	return b.String()
}

// Wrap breaks text between words into lines of at most a width, those after the first
// shorter by an indent. What has no space stays whole. A width of 0 is no limit.
func Wrap(text string, width, indent int) (lines []string) {
	for width > 0 && Width(text) > width {
		at := strings.LastIndexByte(Truncate(text, width+1, ""), ' ')
		if at <= 0 {
			break
		}
		if len(lines) == 0 {
			width -= indent
		}
		lines, text = append(lines, text[:at]), text[at+1:]
	}
	return append(lines, text)
}

// WrapGroups breaks groups of digits into lines of the same number of groups,
// as many as fit of 16, 8, 4, 2 or 1.
func WrapGroups(text string, width int) (lines []string) {
	words := strings.Split(text, " ")
	n := 16
	for n > 1 && n*(DigitGroup+1)-1 > width {
		n /= 2
	}
	for ; len(words) > 0; words = words[min(n, len(words)):] {
		lines = append(lines, strings.Join(words[:min(n, len(words))], " "))
	}
	return lines
}
