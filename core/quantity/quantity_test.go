package quantity_test

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/quantity"
)

// A sum is exact, or as much as can be said.
func TestAdd(t *testing.T) {
	most := big.NewInt(quantity.TooMuch)
	random := rand.New(rand.NewPCG(1, 1))
	for range 10_000 {
		a, b := random.Int64()>>random.IntN(63), random.Int64()>>random.IntN(63)
		want := new(big.Int).Add(big.NewInt(a), big.NewInt(b))
		if want.Cmp(most) > 0 {
			want = most
		}
		assert.Equal(t, want.Int64(), quantity.Add(a, b), "%d + %d", a, b)
	}
}

func TestShareOf(t *testing.T) {
	assert.EqualValues(t, 333_333, quantity.ShareOf(1, 3))
	assert.EqualValues(t, 666_667, quantity.ShareOf(2, 3))
	assert.EqualValues(t, 1_000_000, quantity.ShareOf(quantity.TooMuch, quantity.TooMuch), "it does not wrap round")
	assert.Zero(t, quantity.ShareOf(0, 0))
}

func TestMagnitude(t *testing.T) {
	for n, want := range map[int64]uint64{0: 0, 7: 7, -7: 7, math.MaxInt64: 1<<63 - 1, math.MinInt64: 1 << 63} {
		assert.Equal(t, want, quantity.Magnitude(n))
	}
}
