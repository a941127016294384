// Package exact puts into JSON, without any loss, what a file system knows that
// JSON does not: text that is any bytes, and moments to the nanosecond.
package exact

import (
	"bytes"
	"encoding/hex"
	"encoding/json"
	"errors"
	"strconv"
	"strings"
	"unicode/utf8"

	"frankledger/core/entry"
)

// Text is exact bytes: in JSON a string or, where they are no UTF-8, an object
// with their hexadecimal digits, {"hex":"…"}.
type Text string

type textInHex struct {
	Hex string `json:"hex"`
}

// plain tells of which bytes stand for themselves in JSON.
var plain = func() (table [256]bool) {
	for c := byte(' '); c <= '~'; c++ {
		table[c] = c != '"' && c != '\\'
	}
	return table
}()

// AppendJSON appends the text as JSON.
func (t Text) AppendJSON(dst []byte) []byte {
	for i := range len(t) {
		if !plain[t[i]] {
			text, err := t.MarshalJSON()
			if err != nil {
				panic(err) // there is nothing in a string that JSON cannot have
			}
			return append(dst, text...)
		}
	}
	return append(append(append(dst, '"'), t...), '"')
}

// MarshalJSON implements json.Marshaler.
func (t Text) MarshalJSON() ([]byte, error) {
	if utf8.ValidString(string(t)) {
		var out bytes.Buffer
		to := json.NewEncoder(&out)
		to.SetEscapeHTML(false) // this is no page
		err := to.Encode(string(t))
		return bytes.TrimSuffix(out.Bytes(), []byte("\n")), err
	}
	return json.Marshal(textInHex{hex.EncodeToString([]byte(t))})
}

// UnmarshalJSON implements json.Unmarshaler.
func (t *Text) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '{' {
		var in textInHex
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
type Time entry.Time

// AppendJSON appends the moment as JSON.
func (m Time) AppendJSON(dst []byte) []byte {
	dst = strconv.AppendInt(append(dst, '"'), m.Sec, 10)
	dst = strconv.AppendUint(dst, 1e9+uint64(m.Nsec), 10)
	dst[len(dst)-10] = '.' // the 1
	return append(dst, '"')
}

// MarshalJSON implements json.Marshaler.
func (m Time) MarshalJSON() ([]byte, error) { return m.AppendJSON(nil), nil }

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
