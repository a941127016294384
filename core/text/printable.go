package text

import "unicode"

// IsPrintable reports whether a character is simply shown: it does not act on a terminal, turn the
// direction of writing, or show nothing. The joiners that scripts and composed signs need are
// printable.
func IsPrintable(r rune) bool {
	switch r {
	case 0x200c, 0x200d: // zero width non-joiner and joiner
		return true
	case 0x00ad: // soft hyphen
		return false
	}
	return !unicode.In(r, unicode.Cc, unicode.Cf, unicode.Zl, unicode.Zp, unicode.Co)
}
