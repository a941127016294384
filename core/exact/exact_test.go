package exact_test

import (
	"encoding/json"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/exact"
)

type inside struct {
	Back exact.Text `json:"back,omitempty"`
}

type part struct {
	Text exact.Text   `json:"text,omitempty"`
	List []exact.Text `json:"list,omitempty"`
	Part *inside      `json:"part,omitempty"`
}

// sample has a field of each type that values are made of.
type sample struct {
	Text   exact.Text        `json:"text"`
	Maybe  *exact.Text       `json:"maybe,omitempty"`
	List   []exact.Text      `json:"list,omitempty"`
	Parts  []*part           `json:"parts,omitempty"`
	Part   *inside           `json:"part"`
	Word   string            `json:"word"`
	Number int64             `json:"number"`
	Large  uint64            `json:"large"`
	Is     bool              `json:"is,omitempty"`
	At     exact.Time        `json:"at,omitzero"`
	When   *exact.Time       `json:"when,omitempty"`
	Map    map[uint64]string `json:"map,omitempty"`
	Not    int               `json:"-"`
	inside
}

// Whatever text and moments there are, a value comes back as it was, and is JSON that the
// standard library reads: what is UTF-8 as it is. An object written member by member is
// the same.
func FuzzExact(f *testing.F) {
	f.Add("plain", "", int64(0), uint32(0))
	f.Add("\xff\xfe", "a\xffb", int64(-1), uint32(999_999_999))
	f.Add("é\n\"\\ \u2028 \x00 \u202e", "\ufffd", int64(1)<<62, uint32(5))
	f.Fuzz(func(t *testing.T, a, b string, sec int64, nsec uint32) {
		text, at := exact.Text(a), exact.Time{Sec: sec, Nsec: nsec % 1e9}
		value := sample{Text: text, Maybe: &text, List: []exact.Text{exact.Text(b), text}, Part: &inside{exact.Text(b)}, Word: "word", Number: sec, Large: uint64(sec),
			Is: nsec%2 == 0, At: at, When: &at, Map: map[uint64]string{uint64(nsec): "x"}, inside: inside{text}}
		value.Parts = []*part{{Text: exact.Text(b)}, {List: []exact.Text{text}, Part: &inside{}}}
		coded := exact.Append(nil, &value)
		require.True(t, json.Valid(coded), "%q", coded)
		var back sample
		require.NoError(t, exact.Unmarshal(coded, &back))
		require.Equal(t, value, back)

		object := exact.Begin(nil)
		object.Text("text", a)
		object.Texts("list", []string{b, a})
		object.Object("part", func(o *exact.Object) { o.Text("back", b) })
		object.Number("number", sec)
		require.NoError(t, exact.Unmarshal(object.End(), &back))
		require.Equal(t, value, back)
		if utf8.ValidString(a) {
			var plain struct {
				Text string
				List []string
			}
			require.NoError(t, json.Unmarshal(coded, &plain))
			require.Equal(t, a, plain.Text)
			require.Equal(t, a, plain.List[1])
		}
		row := exact.EndText(append([]byte(`{"text":"`), a...), len(`{"text":`), "text")
		require.NoError(t, exact.Unmarshal(append(row, '}'), &back))
		require.Equal(t, value.Text, back.Text)
	})
}

func TestNotExact(t *testing.T) {
	for _, text := range []string{`5`, `{"hex":"f"}`, `{"hex":5}`, `[]`, `"`} {
		var into exact.Text
		assert.Error(t, json.Unmarshal([]byte(text), &into), text)
	}
	for _, text := range []string{`5`, `"5"`, `"5.5"`, `"x.000000000"`, `"5.0000000000"`, `"5.-00000001"`, `"99999999999999999999.000000000"`} {
		var into exact.Time
		assert.Error(t, json.Unmarshal([]byte(text), &into), text)
	}
	written, err := json.Marshal(exact.Time{Sec: -5, Nsec: 7})
	require.NoError(t, err)
	assert.Equal(t, `"-5.000000007"`, string(written))
	_, err = json.Marshal(exact.Text("text"))
	assert.Error(t, err, "who writes it in another way loses bytes")
}

// What stands beside text has to be what it was written for, and what earlier programs
// wrote is read.
func TestBeside(t *testing.T) {
	assert.Equal(t, "{\"text\":\"a\ufffd\ufffdb\",\"text_base64\":\"Yf/+Yg==\",\"list\":[\"\ufffd\",\"c\"],\"list_base64\":[\"/w==\",\"Yw==\"],\"part\":null,\"word\":\"\",\"number\":0,\"large\":0}",
		string(exact.Append(nil, &sample{Text: "a\xff\xfeb", List: []exact.Text{"\xff", "c"}})))
	var old sample
	require.NoError(t, exact.Unmarshal([]byte(`{"text":{"hex":"61ff62"},"list":[{"hex":"ff"},"c"],"parts":[{"text":{"hex":"fe"}}]}`), &old))
	assert.Equal(t, exact.Text("a\xffb"), old.Text)
	assert.Equal(t, []exact.Text{"\xff", "c"}, old.List)
	assert.Equal(t, exact.Text("\xfe"), old.Parts[0].Text)
	for _, text := range []string{
		`{"text":"other","text_base64":"Yf9i"}`, "{\"text\":\"a\ufffdb\",\"text_base64\":\"?\"}", "{\"list\":[\"\ufffd\"],\"list_base64\":[\"/w==\",\"/w==\"]}",
		"{\"list\":[\"c\"],\"list_base64\":[\"/w==\"]}", "{\"parts\":[{\"text\":\"b\",\"text_base64\":\"Yf9i\"}]}",
	} {
		assert.Error(t, exact.Unmarshal([]byte(text), &sample{}), text)
	}
}
