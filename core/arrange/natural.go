package arrange

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Natural orders names as a person would: letter case aside, and digits by the
// number they make, so that site-9 comes before site-10. Names that differ
// only in letter case or leading zeros come in order of their bytes, so that
// no two different names are equal.
func Natural(a, b string) int {
	i, j := 0, 0
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
