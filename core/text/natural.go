package text

import (
	"encoding/binary"
	"math/bits"
	"strings"
	"unicode"
	"unicode/utf8"
	"unsafe"
)

// CompareNatural orders names as a person would: letter case aside, and digits by the
// number they make, so that site-9 comes before site-10. Names that differ
// only in letter case or leading zeros come in order of their bytes, so that
// no two different names are equal.
func CompareNatural(a, b string) int {
	i := common(a, b)
	j := i
	for i < len(a) && j < len(b) {
		x, y := a[i], b[j]
		switch {
		case digit(x) && digit(y):
			m, n := digits(a[i:]), digits(b[j:])
			if c := compareNumbers(a[i:i+m], b[j:j+n]); c != 0 {
				return c
			}
			i, j = i+m, j+n
		case x < utf8.RuneSelf && y < utf8.RuneSelf:
			if x, y = small(x), small(y); x != y {
				return int(x) - int(y)
			}
			i, j = i+1, j+1
		default:
			r, m := utf8.DecodeRuneInString(a[i:])
			s, n := utf8.DecodeRuneInString(b[j:])
			if r, s = unicode.ToLower(r), unicode.ToLower(s); r != s {
				return int(r) - int(s)
			}
			i, j = i+m, j+n
		}
	}
	if rest := (len(a) - i) - (len(b) - j); i == len(a) != (j == len(b)) {
		return rest
	}
	return strings.Compare(a, b)
}

// NaturalKey returns a number that goes by the beginning of a name: if it is less than that of
// another name, the name comes before the other by [CompareNatural]. If it is the same, that is
// left open.
func NaturalKey(name string) uint64 {
	var room [8 + utf8.UTFMax]byte
	key := room[:0]
	for i := 0; i < len(name) && len(key) < 8; {
		switch c := name[i]; {
		case digit(c): // numbers by how many digits they have, then by these
			n := digits(name[i:])
			number := strings.TrimLeft(name[i:i+n], "0")
			key = append(key, '0', byte(min(len(number), 255)))
			if len(number) >= 255 {
				return keyOf(key)
			}
			key = append(key, number[:min(len(number), 8-min(len(key), 8))]...)
			i += n
		case c < utf8.RuneSelf:
			key = append(key, small(c))
			i++
		default:
			r, n := utf8.DecodeRuneInString(name[i:])
			key = utf8.AppendRune(key, unicode.ToLower(r)) // in UTF-8, runes are in their order
			i += n
		}
	}
	return keyOf(key)
}

// keyOf makes a number of the first eight bytes.
func keyOf(key []byte) uint64 {
	var eight [8]byte
	copy(eight[:], key)
	return binary.BigEndian.Uint64(eight[:])
}

// Common returns how many bytes two names begin with that are the same, such that the order of the
// two is that of what follows.
func Common(a, b string) int { return common(a, b) }

// common returns how many bytes two names begin with that are the same, up to the end of a
// letter that is one byte.
func common(a, b string) int {
	n, most := 0, min(len(a), len(b))
	x, y := unsafe.Slice(unsafe.StringData(a), most), unsafe.Slice(unsafe.StringData(b), most)
	for ; n+8 <= most; n += 8 {
		if differ := binary.LittleEndian.Uint64(x[n:]) ^ binary.LittleEndian.Uint64(y[n:]); differ != 0 {
			n += bits.TrailingZeros64(differ) / 8
			most = n
			break
		}
	}
	for n < most && x[n] == y[n] {
		n++
	}
	for n > 0 && (digit(a[n-1]) || a[n-1] >= utf8.RuneSelf) {
		n--
	}
	return n
}

func digit(c byte) bool { return '0' <= c && c <= '9' }

// digits counts the digits that s starts with.
func digits(s string) int {
	n := 0
	for n < len(s) && digit(s[n]) {
		n++
	}
	return n
}

// compareNumbers compares numbers of any length.
func compareNumbers(a, b string) int {
	if len(a) == len(b) {
		return strings.Compare(a, b)
	}
	a, b = strings.TrimLeft(a, "0"), strings.TrimLeft(b, "0")
	if len(a) != len(b) {
		return len(a) - len(b)
	}
	return strings.Compare(a, b)
}

func small(c byte) byte {
	if 'A' <= c && c <= 'Z' {
		c += 'a' - 'A'
	}
	return c
}
