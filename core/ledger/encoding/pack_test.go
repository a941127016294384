package encoding

import (
	"context"
	"maps"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

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
		if len(a)+len(b)+4 > LongestName {
			t.Skip("no system has such names")
		}
		list := []Recorded{
			{Entry: entry.Entry{Name: a, Kind: entry.KindFile}},
			{Entry: entry.Entry{Name: b, Kind: entry.KindFolder, Known: entry.FactStatus, Inode: number, Device: number / 3, Size: seconds, Disk: int64(number%1000) * 512,
				Links: uint32(number), UID: uint32(number >> 7), GID: uint32(number >> 9), Permissions: entry.Permissions(number & 0o7777),
				Modified: entry.Time{Sec: seconds, Nsec: uint32(number % 1e9)}, Accessed: entry.Time{Sec: seconds}, Changed: entry.Time{Nsec: 7}}, Entered: true},
			{Entry: entry.Entry{Name: b}, Gone: true},
			{Entry: entry.Entry{Name: b + "made", Kind: entry.KindFile, Known: entry.FactStatus, Links: 1, Size: 4096, Marks: entry.MarkUnsized}},
			{Entry: entry.Entry{Name: a + b, Kind: entry.KindLink, Known: entry.FactStatus | entry.FactTarget | entry.FactCreated | entry.FactMD5 | entry.FactSHA384, Links: 1,
				Modified: entry.Time{Sec: 1}, Accessed: entry.Time{Sec: 1}, Marks: entry.MarkFlaggedHidden,
				More: &entry.More{Target: target, Created: entry.Time{Sec: seconds}, Digests: entry.Digests{
					{Fact: entry.FactSHA384, Sum: string(make([]byte, 48))}, {Fact: entry.FactMD5, Sum: "0123456789abcdef"}}}}, Unread: true},
		}
		one := list[1].Entry
		slices.SortStableFunc(list, func(a, b Recorded) int { return strings.Compare(a.Entry.Name, b.Entry.Name) })
		list = slices.CompactFunc(list, func(a, b Recorded) bool { return a.Entry.Name == b.Entry.Name })
		var p Packer
		for i := range list {
			list[i].Pack(&p)
		}
		back, err := Unpack(nil, p.Delta())
		if slices.ContainsFunc(list, func(r Recorded) bool {
			return strings.ContainsAny(r.Entry.Name, "/\x00") || slices.Contains([]string{"", ".", ".."}, r.Entry.Name)
		}) {
			require.ErrorIs(t, err, ErrDamaged)
		} else {
			require.NoError(t, err)
			require.Equal(t, list, back)
		}
		self, ok := UnpackSelf(PackSelf(&one))
		require.True(t, ok)
		require.Equal(t, one, self)

		some, err := Unpack(nil, Delta{names, facts})
		if err != nil {
			assert.ErrorIs(t, err, ErrDamaged)
		}
		assert.LessOrEqual(t, len(some), len(names))
	})
}

// Two deltas joined say what they say one after the other.
func TestJoin(t *testing.T) {
	deltaOf := func(words ...string) Delta {
		var p Packer
		for _, word := range words {
			if word[0] == '-' {
				p.Remove(word[1:])
			} else {
				p.Put(&entry.Entry{Name: word[:1], Kind: entry.KindFile, Known: entry.FactStatus, Size: int64(len(word))}, false, false)
			}
		}
		return p.Delta()
	}
	first, second, third := deltaOf("a", "b", "c", "e"), deltaOf("-b", "cc", "d"), deltaOf("-a", "bbb", "-d")
	want, err := Overlay([]Delta{first, second, third})
	require.NoError(t, err)
	require.Len(t, want, 3)
	for _, pair := range [][]Delta{{first, second, third}, {second, third}} {
		joined, err := Join(pair[:2], false)
		require.NoError(t, err)
		deltas := append([]Delta{joined}, pair[2:]...)
		if len(pair) == 2 {
			deltas = []Delta{first, joined}
		}
		got, err := Overlay(deltas)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
}

// However many deltas there are, and however the first is parted, they give what a map gives that each of them changes.
func TestDeltasChangeAMap(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	random := rand.New(rand.NewPCG(seed, 1))
	for range 25 {
		held, told := map[string]int64{}, map[string]bool{}
		var deltas []Delta
		parts := 1
		for record := range 1 + random.IntN(12) {
			changes := map[string]int64{} // less than 0 for what is gone
			for range 1 + random.IntN(1+300/(record*record+1)) {
				changes[strconv.Itoa(random.IntN(500))] = random.Int64N(9) - int64(min(record, 3))
			}
			var p Packer
			names := slices.Sorted(maps.Keys(changes))
			for i, name := range names {
				told[name] = true
				if size := changes[name]; size < 0 {
					p.Remove(name)
					delete(held, name)
				} else {
					p.Put(&entry.Entry{Name: name, Kind: entry.KindFile, Known: entry.FactStatus, Size: size}, false, false)
					held[name] = size
				}
				if record == 0 && i < len(names)-1 && random.IntN(20) == 0 { // another part of the same
					deltas = append(deltas, p.Delta().Clone())
					p.Reset()
					parts++
				}
			}
			deltas = append(deltas, p.Delta().Clone())
		}
		sizes := func(entries []Recorded) map[string]int64 {
			assert.True(t, slices.IsSortedFunc(entries, func(a, b Recorded) int { return strings.Compare(a.Entry.Name, b.Entry.Name) }))
			all := map[string]int64{}
			for _, r := range entries {
				assert.False(t, r.Gone)
				all[r.Entry.Name] = r.Entry.Size
			}
			assert.Len(t, all, len(entries), "each once")
			return all
		}
		entries, err := Overlay(deltas)
		require.NoError(t, err)
		require.Equal(t, held, sizes(entries), "seed %d", seed)

		var inPieces []Recorded
		require.NoError(t, Pieces(deltas, parts, func(piece []Recorded) error {
			inPieces = append(inPieces, piece...)
			return nil
		}))
		require.Equal(t, held, sizes(inPieces), "seed %d", seed)

		joined, err := Join(deltas, true)
		require.NoError(t, err)
		entries, err = Unpack(nil, joined)
		require.NoError(t, err)
		require.Equal(t, held, sizes(entries), "seed %d", seed)

		for name := range 500 {
			is := false
			for _, d := range deltas {
				has, err := HasName(d.Names, strconv.Itoa(name))
				require.NoError(t, err)
				is = is || has
			}
			require.Equal(t, told[strconv.Itoa(name)], is, "seed %d: %d", seed, name)
		}
	}
}

// Versions of folders come back from a segment, and whatever a segment has, reading it
// ends without a panic.
func FuzzSegment(f *testing.F) {
	f.Add("name", []byte{1, 2, 3}, []byte{isFresh | hasDelta, 1, 0, 0, 200, 1})
	f.Add("\xff", []byte{}, []byte{})
	f.Fuzz(func(t *testing.T, name string, names, folders []byte) {
		list := []FolderVersion{
			{Number: Root, Fresh: true, HasDelta: true, Contents: Contents{Plain: Hash{1}}, Tree: Hash{2}},
			{Number: 2, Fresh: true, Parent: Root, Name: name, HasDelta: true, Contents: Contents{Plain: Hash{3}, Full: Hash{4}, Digested: entry.FactMD5}, Tree: Hash{5}},
			{Number: Root, Tree: Hash{6}},
		}
		var p Packer
		p.Put(&entry.Entry{Name: name, Kind: entry.KindFile}, false, false)
		d := p.Delta().Clone()
		var back []FolderVersion
		w := SegmentWriter{Write: func(_ context.Context, s Segment) error {
			return EachFolder(s.Folders, func(v *FolderVersion) { back = append(back, *v) })
		}}
		for i := range list {
			require.NoError(t, w.Add(t.Context(), &list[i], d))
		}
		require.NoError(t, w.Flush(t.Context()))
		list[2].Names, list[2].Facts = 0, 0 // there is no delta
		require.Equal(t, list, back)
		if err := EachFolder(folders, func(*FolderVersion) {}); err != nil {
			assert.ErrorIs(t, err, ErrDamaged)
		}
		if _, err := Summarise(Segment{folders, names, names}); err != nil {
			assert.ErrorIs(t, err, ErrDamaged)
		}
	})
}
