package output

import (
	"bytes"
	"io"
	"unicode"
	"unicode/utf8"
)

// Screen returns a destination that passes an answer on to a terminal, and lets
// nothing through that would act on it: control characters, those that turn the
// direction of text round, and bytes that are no text are shown by their numbers.
// What may pass are line ends, tabs, and the styles of this program.
func Screen(d Destination) Destination { return &screen{to: d} }

type screen struct {
	to   Destination
	held []byte // the beginning of a character, or of a style
}

// longestStyle is more than any style of this program takes.
const longestStyle = 16

// Write implements io.Writer.
func (s *screen) Write(p []byte) (int, error) {
	text := p
	if len(s.held) > 0 {
		text = append(s.held, p...)
	}
	safe, rest := AppendScreen(nil, text, false)
	s.held = bytes.Clone(rest)
	if _, err := s.to.Write(safe); err != nil {
		return 0, err
	}
	return len(p), nil
}

// Close implements Destination.
func (s *screen) Close(whole bool) error {
	safe, _ := AppendScreen(nil, s.held, true)
	s.held = nil
	if len(safe) > 0 {
		if _, err := s.to.Write(safe); err != nil {
			s.to.Close(false)
			return err
		}
	}
	return s.to.Close(whole)
}

// AppendScreen appends text as it may go to a terminal. Unless it is the end of the
// text, the rest is what cannot be told yet.
func AppendScreen(dst, text []byte, end bool) (safe, rest []byte) {
	const digits = "0123456789abcdef"
	for len(text) > 0 {
		plain := 0
		for plain < len(text) && (text[plain] >= ' ' && text[plain] < 0x7f || text[plain] == '\n' || text[plain] == '\t') {
			plain++
		}
		dst, text = append(dst, text[:plain]...), text[plain:]
		if len(text) == 0 {
			break
		}
		if n, open := style(text); n > 0 || open && !end {
			if n == 0 {
				return dst, text
			}
			dst, text = append(dst, text[:n]...), text[n:]
			continue
		}
		if text[0] == '\r' && len(text) > 1 && text[1] == '\n' { // as CSV has it
			dst, text = append(dst, "\r\n"...), text[2:]
			continue
		}
		if !end && (!utf8.FullRune(text) || text[0] == '\r' && len(text) == 1) {
			return dst, text
		}
		r, size := utf8.DecodeRune(text)
		switch {
		case r == utf8.RuneError && size == 1 || r < 0x80:
			dst = append(dst, '\\', 'x', digits[text[0]>>4], digits[text[0]&15])
		case Acts(r):
			dst = append(dst, '\\', 'u')
			for shift := 12; shift >= 0; shift -= 4 {
				dst = append(dst, digits[r>>shift&15])
			}
		default:
			dst = append(dst, text[:size]...)
		}
		text = text[size:]
	}
	return dst, nil
}

// Acts reports whether a character could act on a terminal, or on how the text around
// it is read.
func Acts(r rune) bool {
	switch {
	case r < ' ' || r >= 0x7f && r < 0xa0: // control characters of ISO 6429
		return true
	case r == 0x061c || r == 0x200e || r == 0x200f || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069: // directions
		return true
	}
	return r == 0x2028 || r == 0x2029 || r == 0xfeff || unicode.Is(unicode.Co, r) && r < 0x10000
}

// style returns how long the style is that text begins with, as ISO 6429 selects
// graphic rendition: ESC [ digits and semicolons m. It is open if its end is still
// to come.
func style(text []byte) (length int, open bool) {
	if text[0] != 0x1b {
		return 0, false
	}
	if len(text) == 1 {
		return 0, true
	}
	if text[1] != '[' {
		return 0, false
	}
	for i := 2; i < len(text) && i < longestStyle; i++ {
		switch c := text[i]; {
		case c == 'm':
			return i + 1, false
		case c != ';' && (c < '0' || c > '9'):
			return 0, false
		}
	}
	return 0, len(text) < longestStyle
}

// ScreenWriter returns a writer to a terminal each of whose writes is text by itself.
func ScreenWriter(w io.Writer) io.Writer { return screenWriter{w} }

type screenWriter struct{ to io.Writer }

// Write implements io.Writer.
func (s screenWriter) Write(p []byte) (int, error) {
	safe, _ := AppendScreen(nil, p, true)
	if _, err := s.to.Write(safe); err != nil {
		return 0, err
	}
	return len(p), nil
}
