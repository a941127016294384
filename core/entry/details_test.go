package entry_test

import (
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
)

// listOf writes an access list as Linux keeps it.
func listOf(entries ...[3]uint32) []byte {
	raw := binary.LittleEndian.AppendUint32(nil, 2)
	for _, e := range entries {
		raw = binary.LittleEndian.AppendUint16(raw, uint16(e[0]))
		raw = binary.LittleEndian.AppendUint16(raw, uint16(e[1]))
		raw = binary.LittleEndian.AppendUint32(raw, e[2])
	}
	return raw
}

func TestWhoMay(t *testing.T) {
	const none = ^uint32(0)
	for _, one := range []struct {
		mode             entry.Permissions
		list             [][3]uint32
		readers, writers string
	}{
		{0o000, nil, "nobody", "nobody"}, {0o600, nil, "owner", "owner"}, {0o640, nil, "some", "owner"}, {0o644, nil, "everyone", "owner"},
		{0o666, nil, "everyone", "everyone"}, {0o060, nil, "some", "some"}, {0o002, nil, "nobody", "everyone"},
		// The bits of the group are the mask: the group itself may not do anything here.
		{0o670, [][3]uint32{{1, 6, none}, {4, 0, none}, {16, 7, none}, {32, 0, none}}, "owner", "owner"},
		{0o670, [][3]uint32{{1, 6, none}, {2, 2, 501}, {4, 0, none}, {16, 7, none}, {32, 0, none}}, "owner", "some"},
		{0o640, [][3]uint32{{1, 6, none}, {8, 6, 501}, {4, 0, none}, {16, 4, none}, {32, 0, none}}, "some", "owner"},
	} {
		e := &entry.Entry{Kind: entry.KindFile, Permissions: one.mode, Known: entry.FactStatus | entry.FactXattrs, More: &entry.More{Details: &entry.Details{}}}
		if one.list != nil {
			var err error
			e.More.Details.Access, err = entry.ParseAccessList(listOf(one.list...))
			require.NoError(t, err)
		}
		for name, want := range map[string]string{"readers": one.readers, "writers": one.writers} {
			got, known := entry.FieldNamed(name).AppendText(nil, e, nil)
			assert.True(t, known)
			assert.Equal(t, want, string(got), "%s of %o %v", name, one.mode, one.list)
		}
		e.Known = entry.FactStatus
		_, known := entry.FieldNamed("writers").AppendText(nil, e, nil)
		assert.False(t, known, "what is not known is not told")
	}
	_, err := entry.ParseAccessList([]byte("\x02\x00\x00\x00half"))
	assert.ErrorIs(t, err, entry.ErrAccessList)
}

func TestCapabilities(t *testing.T) {
	raw := func(magic uint32, sets ...uint32) (b []byte) {
		for _, n := range append([]uint32{magic}, sets...) {
			b = binary.LittleEndian.AppendUint32(b, n)
		}
		return b
	}
	for want, in := range map[string][]byte{
		"net_bind_service":     raw(0x02000001, 1<<10, 0, 0, 0),
		"chown,net_raw":        raw(0x03000001, 1|1<<13, 0, 0, 0, 77),
		"net_raw (on request)": raw(0x02000000, 1<<13, 0, 0, 0),
		"checkpoint_restore":   raw(0x02000001, 0, 0, 1<<8, 0),
		"60":                   raw(0x02000001, 0, 0, 1<<28, 0),
		"kill (inheritable)":   raw(0x01000001, 0, 1<<5),
	} {
		got, err := entry.ParseCapabilities(in)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	for _, wrong := range [][]byte{nil, {1}, raw(0x09000000, 1, 2), raw(0x02000000, 1, 2)} {
		_, err := entry.ParseCapabilities(wrong)
		assert.Error(t, err)
	}
}
