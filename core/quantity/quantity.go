// Package quantity adds up numbers of bytes. A sum that is past the largest number stays
// there, and does not wrap round: it is then the least that it can be.
package quantity

import "math"

// TooMuch is what a sum comes to that is past the largest number.
const TooMuch = math.MaxInt64

// Add returns the sum of two numbers of bytes, neither of which is negative.
func Add(a, b int64) int64 {
	if b > TooMuch-a {
		return TooMuch
	}
	return a + b
}
