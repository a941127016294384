package encoding_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
)

func FuzzDetails(f *testing.F) {
	f.Add([]byte(nil))
	f.Add(encoding.AppendDetails(nil, &entry.Details{Xattrs: []string{"user.a", ""}, Access: entry.AccessList{{Who: 2, ID: 1 << 31, May: 7}}, Default: entry.AccessList{{Who: 32}}, Capabilities: "kill", Flags: []string{"immutable"}}))
	f.Add([]byte{0xff, 0xff, 0xff, 0xff, 0xff, 0x01})
	f.Fuzz(func(t *testing.T, packed []byte) {
		d, err := encoding.ParseDetails(packed)
		if err != nil {
			return
		}
		again, err := encoding.ParseDetails(encoding.AppendDetails(nil, d))
		require.NoError(t, err)
		assert.Equal(t, d, again)
	})
}
