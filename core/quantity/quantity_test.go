package quantity_test

import (
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
