package output

import (
	"bytes"
	"io"
	"unicode/utf8"

	"frankledger/core/text"
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

// AppendScreen appends text as it may go to a terminal. Unless end says that nothing follows, the
// rest is what cannot be told yet.
func AppendScreen(dst, from []byte, end bool) (safe, rest []byte) {
	const digits = "0123456789abcdef"
	for len(from) > 0 {
		plain := 0
		for plain < len(from) && (from[plain] >= ' ' && from[plain] < 0x7f || from[plain] == '\n' || from[plain] == '\t') {
			plain++
		}
		dst, from = append(dst, from[:plain]...), from[plain:]
		if len(from) == 0 {
			break
		}
		if n, open := style(from); n > 0 || open && !end {
			if n == 0 {
				return dst, from
			}
			dst, from = append(dst, from[:n]...), from[n:]
			continue
		}
		if from[0] == '\r' && len(from) > 1 && from[1] == '\n' { // as CSV has it
			dst, from = append(dst, "\r\n"...), from[2:]
			continue
		}
		if !end && (!utf8.FullRune(from) || from[0] == '\r' && len(from) == 1) {
			return dst, from
		}
		r, size := utf8.DecodeRune(from)
		switch {
		case r == utf8.RuneError && size == 1 || r < 0x80:
			dst = append(dst, '\\', 'x', digits[from[0]>>4], digits[from[0]&15])
		case r < 0x10000 && !text.IsPrintable(r): // JSON has no escape for those beyond
			dst = append(dst, '\\', 'u')
			for shift := 12; shift >= 0; shift -= 4 {
				dst = append(dst, digits[r>>shift&15])
			}
		default:
			dst = append(dst, from[:size]...)
		}
		from = from[size:]
	}
	return dst, nil
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
