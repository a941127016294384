package encoding

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/source"
)

// A band tells of each group and each bit what the group has, and all else of it comes
// back, however full it is.
func TestBand(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for _, count := range []int{1, 7, 64, 65, 300} {
		for _, full := range []int{3, 200, 1800} {
			groups := make([]Group, count)
			for i := range groups {
				for range full {
					groups[i].put(placesOf(byte(1+random.IntN(2)), random.Uint64()%5000))
				}
				groups[i].Values = []uint64{uint64(i % 3), 1 << 40, uint64(i)<<8 + 77}
				groups[i].Bounds[source.Changed] = Between{uint32(i), uint32(2 * i)}
			}
			segments := []SegmentGroups{{Segment: 7, Fresh: 1, Versions: []int{3}}, {Segment: 5, Versions: make([]int, count-1), Again: []uint64{9, 4}}}
			parts := map[int][]byte{}
			b, err := MakeBand(segments, groups, func(part int, content []byte) error {
				require.Less(t, part, PartsOfBand)
				parts[part] = append([]byte(nil), content...)
				return nil
			})
			require.NoError(t, err)
			back, err := UnpackBand(b.Pack())
			require.NoError(t, err)
			require.Equal(t, count, back.Groups())
			assert.Equal(t, []int{3}, back.Segments[0].Versions)
			again, err := back.UnpackAgain(parts[AgainPart])
			require.NoError(t, err)
			assert.Equal(t, []Again{{4, 5}, {9, 5}}, again)
			for value, has := range map[uint64]func(i int) bool{
				2:            func(i int) bool { return i%3 == 2 },
				1 << 40:      func(int) bool { return true },
				5<<8 + 77:    func(i int) bool { return i == 5 },
				123456789012: func(int) bool { return false },
			} {
				set, err := back.WithValue(parts[PartOfValue(value)], value)
				require.NoError(t, err)
				for i := range groups {
					require.Equal(t, has(i), set[i/64]&(1<<(i%64)) != 0)
				}
			}
			for bit := uint16(0); bit < PieceBits; bit += 5 {
				part, from, to := back.PartOf(bit)
				for i := range groups {
					has := parts[part][from:to][i/8]&(1<<(i%8)) != 0
					want := false
					for other := int(bit) % back.Bits; other < PieceBits; other += back.Bits {
						want = want || groups[i].Pieces[other/64]&(1<<(other%64)) != 0
					}
					if has != want {
						t.Fatal(count, full, bit, i)
					}
				}
			}
		}
	}
}

// A number of folders that no segment can have is damage.
func TestBandOfTooMany(t *testing.T) {
	for _, count := range []int{-1, LongestPart + 1} {
		b := &Band{Bits: 64, Segments: []SegmentGroups{{Segment: 1, Versions: []int{1, count}}}}
		_, err := UnpackBand(b.Pack())
		assert.ErrorIs(t, err, ErrDamaged, count)
	}
}
