package exact_test

import (
	"encoding/json"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/exact"
)

// Any bytes and any moment come back as they were, and are valid JSON; what is
// UTF-8 is a string that people can read.
func FuzzExact(f *testing.F) {
	f.Add("plain", int64(0), uint32(0))
	f.Add("\xff\xfe", int64(-1), uint32(999_999_999))
	f.Add("é\n\"\\ \u2028 \x00", int64(1)<<62, uint32(5))
	f.Fuzz(func(t *testing.T, text string, sec int64, nsec uint32) {
		nsec %= 1e9
		coded := exact.Text(text).AppendJSON(nil)
		require.True(t, json.Valid(coded), "%q", coded)
		assert.Equal(t, utf8.ValidString(text), coded[0] == '"')
		var back exact.Text
		require.NoError(t, json.Unmarshal(coded, &back))
		require.Equal(t, text, string(back))
		reflected, err := json.Marshal(exact.Text(text))
		require.NoError(t, err)
		var again exact.Text
		require.NoError(t, json.Unmarshal(reflected, &again))
		require.Equal(t, text, string(again))

		moment := exact.Time{Sec: sec, Nsec: nsec}
		var then exact.Time
		require.NoError(t, json.Unmarshal(moment.AppendJSON(nil), &then))
		require.Equal(t, moment, then)
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
	assert.Equal(t, `"-5.000000007"`, string(exact.Time{Sec: -5, Nsec: 7}.AppendJSON(nil)))
}
