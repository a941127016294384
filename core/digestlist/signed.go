package digestlist

import (
	"bufio"
	"bytes"
	"io"
	"strings"

	"golang.org/x/text/encoding/unicode"
)

// inUTF8 returns text that is marked as UTF-16 (RFC 2781) in UTF-8, and other text as it
// is.
func inUTF8(content io.Reader) io.Reader {
	r := bufio.NewReader(content)
	if mark, _ := r.Peek(2); string(mark) == "\xff\xfe" || string(mark) == "\xfe\xff" {
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Reader(r)
	}
	return r
}

const (
	signedBegin    = "-----BEGIN PGP SIGNED MESSAGE-----"
	signatureBegin = "-----BEGIN PGP SIGNATURE-----"
)

// unsigned takes out of a text that is signed in the clear (RFC 9580, section 7) what
// belongs to the signature. Lines keep their numbers. It returns whether there was one.
func unsigned(text []byte) (content []byte, signed bool) {
	if !bytes.Contains(text, []byte(signedBegin)) {
		return text, false
	}
	const (
		outside = iota
		headers
		message
	)
	var b bytes.Buffer
	state := outside
	for line := range bytes.Lines(text) {
		plain := strings.TrimRight(string(line), "\r\n")
		switch {
		case plain == signedBegin:
			state = headers
		case plain == signatureBegin:
			state = outside
		case state == headers && plain == "":
			state = message
		case state == message:
			b.Write(bytes.TrimPrefix(line, []byte("- ")))
			continue
		}
		b.WriteByte('\n')
	}
	return b.Bytes(), true
}
