package ledger

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/entry"
)

// Whatever is packed comes back, and whatever bytes there are, unpacking ends
// without a panic.
func FuzzPack(f *testing.F) {
	f.Add("a", "ab", "to", int64(-5), uint64(9), []byte{1, 2, 3}, []byte{})
	f.Add("", "\xff", "", int64(1)<<62, ^uint64(0), []byte{0, 1, 'x', 1}, []byte{1, 0, 0, 0, 0})
	f.Fuzz(func(t *testing.T, a, b, target string, seconds int64, number uint64, names, facts []byte) {
		list := []kept{
			{entry: entry.Entry{Name: a, Kind: entry.KindFile}},
			{entry: entry.Entry{Name: b, Kind: entry.KindFolder, Known: entry.FactStatus, Inode: number, Device: number / 3, Size: seconds, Disk: int64(number%1000) * 512,
				Links: uint32(number), UID: uint32(number >> 7), GID: uint32(number >> 9), Permissions: entry.Permissions(number & 0o7777),
				Modified: entry.Time{Sec: seconds, Nsec: uint32(number % 1e9)}, Accessed: entry.Time{Sec: seconds}, Changed: entry.Time{Nsec: 7}}, entered: true},
			{entry: entry.Entry{Name: b}, gone: true},
			{entry: entry.Entry{Name: b + "made", Kind: entry.KindFile, Known: entry.FactStatus, Links: 1, Size: 4096, Marks: entry.MarkUnsized}},
			{entry: entry.Entry{Name: a + b, Kind: entry.KindLink, Known: entry.FactStatus | entry.FactTarget | entry.FactCreated | entry.FactMD5 | entry.FactSHA384, Links: 1,
				Modified: entry.Time{Sec: 1}, Accessed: entry.Time{Sec: 1}, Marks: entry.MarkFlaggedHidden,
				More: &entry.More{Target: target, Created: entry.Time{Sec: seconds}, Digests: entry.Digests{
					{Fact: entry.FactSHA384, Sum: string(make([]byte, 48))}, {Fact: entry.FactMD5, Sum: "0123456789abcdef"}}}}, unread: true},
		}
		var p packer
		for i := range list {
			list[i].pack(&p)
		}
		back, err := appendAll(nil, piece{p.names, p.facts})
		require.NoError(t, err)
		require.Equal(t, list, back)
		r := Record{self: list[1].entry}
		require.True(t, (&Record{}).unpackSelf(r.packSelf()))

		some, err := appendAll(nil, piece{names, facts})
		if err != nil {
			assert.ErrorIs(t, err, ErrDamaged)
		}
		assert.LessOrEqual(t, len(some), len(names))
	})
}

// Two pieces joined say what they say one after the other.
func TestJoin(t *testing.T) {
	pieceOf := func(words ...string) piece {
		var p packer
		for _, word := range words {
			if word[0] == '-' {
				p.remove(word[1:])
			} else {
				p.put(&entry.Entry{Name: word[:1], Kind: entry.KindFile, Known: entry.FactStatus, Size: int64(len(word))}, false, false)
			}
		}
		return piece{p.names, p.facts}
	}
	first, second, third := pieceOf("a", "b", "c", "e"), pieceOf("-b", "cc", "d"), pieceOf("-a", "bbb", "-d")
	want, err := overlay([]piece{first, second, third})
	require.NoError(t, err)
	require.Len(t, want, 3)
	for _, pair := range [][]piece{{first, second, third}, {second, third}} {
		joined, err := join(pair[:2], false)
		require.NoError(t, err)
		pieces := append([]piece{joined}, pair[2:]...)
		if len(pair) == 2 {
			pieces = []piece{first, joined}
		}
		got, err := overlay(pieces)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
}

// Versions of folders come back from a sheet, and whatever a sheet has, adding it
// ends without a panic.
func FuzzSheet(f *testing.F) {
	f.Add("name", uint64(7), []byte{1, 2, 3}, []byte{isFresh | isPieced, 1, 0, 0, 200, 1})
	f.Add("\xff", uint64(1), []byte{}, []byte{})
	f.Fuzz(func(t *testing.T, name string, number uint64, names, folders []byte) {
		w := sheetWriter{}
		list := []folderVersion{
			{folder: root, fresh: true, pieced: true, own: seal{1}, seal: seal{2}},
			{folder: 2, fresh: true, parent: root, name: name, pieced: true, own: seal{3}, full: seal{4}, digested: entry.FactMD5, seal: seal{5}},
			{folder: root, seal: seal{6}},
		}
		for i := range list {
			require.NoError(t, w.add(t.Context(), &list[i], piece{names: names}))
			list[i].names, list[i].facts = uint64(len(names)), 0
		}
		list[2].names = 0 // there is no piece
		var back []folderVersion
		require.NoError(t, eachVersion(w.sheet.Folders, func(v *folderVersion) { back = append(back, *v) }))
		require.Equal(t, list, back)

		s := &state{folders: make([]folderState, root+1), ids: map[folderKey]uint64{}}
		if err := s.add(Sheet{Folders: folders}); err != nil {
			assert.ErrorIs(t, err, ErrDamaged)
		}
		for id := range s.folders {
			s.way(uint64(id))
		}
	})
}
