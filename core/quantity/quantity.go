// Package quantity counts with numbers of bytes. A sum that is past the largest number stays there,
// and does not wrap round: it is then the least that it can be. Shares are in millionths.
package quantity

import (
	"math"
	"math/big"
)

// TooMuch is what a sum comes to that is past the largest number.
const TooMuch = math.MaxInt64

// Add returns the sum of two numbers of bytes, neither of which is negative.
func Add(a, b int64) int64 {
	if b > TooMuch-a {
		return TooMuch
	}
	return a + b
}

const million = 1_000_000

// ShareOf returns the part that n is of the whole, in millionths, rounded.
func ShareOf(n, whole int64) int64 {
	if whole == 0 {
		return 0
	}
	share := new(big.Int).Mul(big.NewInt(n), big.NewInt(2*million))
	share.Add(share, big.NewInt(whole)).Quo(share, new(big.Int).Mul(big.NewInt(2), big.NewInt(whole)))
	return share.Int64()
}

// Magnitude is how great a change is, whether more or less.
func Magnitude(n int64) uint64 {
	if n < 0 {
		return -uint64(n)
	}
	return uint64(n)
}
