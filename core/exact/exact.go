// Package exact writes and reads JSON (RFC 8259) that holds, without any loss, what a
// file system knows and JSON does not: text that is any bytes, and moments to the
// nanosecond.
//
// Text that is not UTF-8 has U+FFFD in place of each such byte, and beside it, under its
// key with _base64 after it, its exact bytes (RFC 4648). [Object] writes an object member
// by member, [Append] a value by the tags of its fields, and [Unmarshal] reads both.
package exact

import (
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"strconv"
	"strings"
	"unicode/utf8"

	"frankledger/core/row"
	"frankledger/core/text"
)

// Text is exact bytes.
type Text string

// plain reports whether text needs no escape in JSON. Eight bytes at a time are looked at,
// as text of great length is: in what follows, the top bit of a byte is set if the byte
// is one of those sought, or stands above such a one.
func plain(text []byte) bool {
	const ones, tops = 0x0101010101010101, 0x8080808080808080
	for ; len(text) >= 8; text = text[8:] {
		word := binary.LittleEndian.Uint64(text)
		quote, slash, last := word^'"'*ones, word^'\\'*ones, word^0x7f*ones
		if (word|(word-' '*ones)|(quote-ones)|(slash-ones)|(last-ones))&tops != 0 {
			return false
		}
	}
	for _, c := range text {
		if c < ' ' || c == '"' || c == '\\' || c >= 0x7f {
			return false
		}
	}
	return true
}

// AppendText appends a string. What is not UTF-8 becomes U+FFFD, and what could act on a
// terminal is escaped.
func AppendText(dst []byte, text string) []byte {
	start := len(dst) + 1
	dst = append(append(dst, '"'), text...)
	if plain(dst[start:]) {
		return append(dst, '"')
	}
	return appendEscaped(dst[:start], text)
}

// EndText ends a member that is text: a quote stands at the start, and then the text as it
// is. If it has to, it appends the exact bytes as a further member.
func EndText(dst []byte, start int, key string) []byte {
	if plain(dst[start+1:]) {
		return append(dst, '"')
	}
	text := string(dst[start+1:])
	return AppendBeside(appendEscaped(dst[:start+1], text), key, text)
}

// appendEscaped appends a value that needs it with escapes, and a quote.
func appendEscaped(dst []byte, value string) []byte {
	const digits = "0123456789abcdef"
	for _, r := range value {
		switch {
		case r == '"' || r == '\\':
			dst = append(dst, '\\', byte(r))
		case r == '\n':
			dst = append(dst, `\n`...)
		case r == '\t':
			dst = append(dst, `\t`...)
		case !text.IsPrintable(r) && r < 0x10000:
			dst = append(dst, '\\', 'u', digits[r>>12&15], digits[r>>8&15], digits[r>>4&15], digits[r&15])
		default:
			dst = utf8.AppendRune(dst, r)
		}
	}
	return append(dst, '"')
}

const inBase64 = "_base64"

// AppendBeside appends, to the value of a member that is text, the further member with
// its exact bytes, if it has to have one.
func AppendBeside(dst []byte, key, text string) []byte {
	if utf8.ValidString(text) {
		return dst
	}
	dst = append(append(append(dst, `,"`...), key...), inBase64+`":"`...)
	return append(base64.StdEncoding.AppendEncode(dst, []byte(text)), '"')
}

// appendTexts appends a list of text, and the further member with the exact bytes of
// all, if any of it has to have one.
func appendTexts[T ~string](dst []byte, key string, list []T) []byte {
	valid := true
	dst = append(dst, '[')
	for i, text := range list {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = AppendText(dst, string(text))
		valid = valid && utf8.ValidString(string(text))
	}
	if dst = append(dst, ']'); valid {
		return dst
	}
	dst = append(append(append(dst, `,"`...), key...), inBase64+`":[`...)
	for i, text := range list {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = append(base64.StdEncoding.AppendEncode(append(dst, '"'), []byte(text)), '"')
	}
	return append(dst, ']')
}

// MarshalJSON implements json.Marshaler: it is an error, as a value cannot have a member
// beside it there.
func (t Text) MarshalJSON() ([]byte, error) { return nil, errAppend }

var errAppend = errors.New("exact text is written by exact.Append")

// UnmarshalJSON implements json.Unmarshaler. Earlier programs wrote what is not UTF-8 as
// an object with hexadecimal digits, {"hex":"…"}.
func (t *Text) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '{' {
		var in struct {
			Hex string `json:"hex"`
		}
		if err := json.Unmarshal(data, &in); err != nil {
			return err
		}
		raw, err := hex.DecodeString(in.Hex)
		*t = Text(raw)
		return err
	}
	return json.Unmarshal(data, (*string)(t))
}

// Time is a moment, in JSON as seconds since 1970 in UTC with nine decimals, as
// text: any that a file system can have.
type Time row.Moment

// append appends the moment as JSON.
func (m Time) append(dst []byte) []byte {
	dst = append(strconv.AppendInt(append(dst, '"'), m.Sec, 10), `.000000000"`...)
	digits := dst[len(dst)-10 : len(dst)-1]
	for i, rest := len(digits)-1, m.Nsec; rest > 0 && i >= 0; i, rest = i-1, rest/10 {
		digits[i] = '0' + byte(rest%10)
	}
	return dst
}

// MarshalJSON implements json.Marshaler.
func (m Time) MarshalJSON() ([]byte, error) { return m.append(nil), nil }

var errTime = errors.New("a time is seconds since 1970 with nine decimals")

// UnmarshalJSON implements json.Unmarshaler.
func (m *Time) UnmarshalJSON(data []byte) error {
	seconds, fraction, ok := strings.Cut(strings.Trim(string(data), `"`), ".")
	sec, err := strconv.ParseInt(seconds, 10, 64)
	nsec, err2 := strconv.ParseUint(fraction, 10, 32)
	if !ok || err != nil || err2 != nil || len(fraction) != 9 {
		return errTime
	}
	*m = Time{sec, uint32(nsec)}
	return nil
}
