package textfile

import (
	"bytes"
	"io"
	"unicode/utf16"
	"unicode/utf8"
)

// Encoding is how a file has its text written as bytes.
type Encoding uint8

const (
	None    Encoding = iota // it is no text
	UTF8                    // RFC 3629; ASCII is a part of it
	UTF16LE                 // RFC 2781, by its mark
	UTF16BE
	Latin1 // ISO/IEC 8859-1, guessed
)

// String returns the name that IANA has for the encoding, "" for None.
func (e Encoding) String() string {
	return [...]string{"", "UTF-8", "UTF-16LE", "UTF-16BE", "ISO-8859-1"}[e]
}

var (
	mark8    = []byte("\xef\xbb\xbf")
	mark16LE = []byte("\xff\xfe")
	mark16BE = []byte("\xfe\xff")
)

// Tell returns the encoding of a file that starts with head, and how many bytes the mark of it takes. It is None for
// what is no text. An empty file is text.
func Tell(head []byte) (e Encoding, mark int) {
	switch {
	case bytes.HasPrefix(head, mark16LE):
		return UTF16LE, len(mark16LE)
	case bytes.HasPrefix(head, mark16BE):
		return UTF16BE, len(mark16BE)
	}
	if bytes.HasPrefix(head, mark8) {
		mark = len(mark8)
	}
	high := false
	for _, c := range head {
		switch {
		case c >= utf8.RuneSelf:
			high = true
		case c < ' ' && !controls[c]:
			return None, 0
		}
	}
	if !high || validUTF8(head) {
		return UTF8, mark
	}
	for _, c := range head {
		if 0x80 <= c && c < 0xa0 { // controls, in Latin-1
			return None, 0
		}
	}
	return Latin1, 0
}

// controls are the control characters that texts have: bell, backspace, tab, line feed, vertical tab, form feed,
// carriage return, the end of a file of old systems, and escape.
var controls = [' ']bool{7: true, 8: true, '\t': true, '\n': true, '\v': true, '\f': true, '\r': true, 0x1a: true, 0x1b: true}

// validUTF8 reports whether bytes are UTF-8, of which the last character may be cut off.
func validUTF8(head []byte) bool {
	for cut := range min(utf8.UTFMax, len(head)+1) {
		if utf8.Valid(head[:len(head)-cut]) {
			return cut == 0 || !utf8.FullRune(head[len(head)-cut:])
		}
	}
	return false
}

// decoder reads text of UTF-16 or Latin-1 as UTF-8.
type decoder struct {
	from    io.Reader
	as      Encoding
	in      []byte
	out     []byte
	pending uint16 // the first half of a pair
	err     error
}

// Decoded returns a reader of the text as UTF-8. What is UTF-8 already, or said to be, is left as it is.
func Decoded(from io.Reader, e Encoding) io.Reader {
	if e == UTF8 || e == None {
		return from
	}
	return &decoder{from: from, as: e, in: make([]byte, 0, blockSize)}
}

// Read implements io.Reader.
func (d *decoder) Read(p []byte) (int, error) {
	for len(d.out) == 0 {
		if d.err != nil {
			return 0, d.err
		}
		d.fill()
	}
	n := copy(p, d.out)
	d.out = d.out[n:]
	return n, nil
}

func (d *decoder) fill() {
	n, err := d.from.Read(d.in[len(d.in):cap(d.in)])
	d.in, d.err = d.in[:len(d.in)+n], err
	d.out = d.out[:0]
	if d.as == Latin1 {
		for _, c := range d.in {
			d.out = utf8.AppendRune(d.out, rune(c))
		}
		d.in = d.in[:0]
		return
	}
	whole := len(d.in) &^ 1
	for i := 0; i < whole; i += 2 {
		unit := uint16(d.in[i]) | uint16(d.in[i+1])<<8
		if d.as == UTF16BE {
			unit = uint16(d.in[i])<<8 | uint16(d.in[i+1])
		}
		d.unit(unit)
	}
	d.in = d.in[:copy(d.in, d.in[whole:])]
	if d.err != nil && (d.pending != 0 || len(d.in) > 0) { // half a character at the end
		d.out, d.pending, d.in = utf8.AppendRune(d.out, utf8.RuneError), 0, d.in[:0]
	}
}

// unit takes the next unit of UTF-16.
func (d *decoder) unit(unit uint16) {
	if d.pending != 0 {
		first := rune(d.pending)
		d.pending = 0
		if r := utf16.DecodeRune(first, rune(unit)); r != utf8.RuneError {
			d.out = utf8.AppendRune(d.out, r)
			return
		}
		d.out = utf8.AppendRune(d.out, utf8.RuneError)
	}
	if 0xd800 <= unit && unit < 0xdc00 {
		d.pending = unit
		return
	}
	d.out = utf8.AppendRune(d.out, rune(unit)) // a second half alone becomes the sign for that
}
