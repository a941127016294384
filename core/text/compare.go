package text

import (
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// Fold returns text in the form that all canonically equal text has (Unicode Standard
// Annex #15, form C), with case folded by Unicode's full rules (The Unicode Standard,
// section 3.13) unless case matters. Bytes that are no UTF-8 stay. The text is changed in
// place where it can be.
func Fold(text []byte, matchCase bool) []byte {
	for i, c := range text {
		if c >= utf8.RuneSelf {
			return foldUnicode(text, matchCase)
		}
		if !matchCase && 'A' <= c && c <= 'Z' {
			text[i] = c + 'a' - 'A'
		}
	}
	return text
}

// Ends reports whether a text ends with a word, both as they are compared: folded and, since the
// word has no accents, without accents. The word is folded, and ASCII. If the last bytes of the text
// do not tell that by themselves, it returns false and false.
func Ends(text, word string, matchCase bool) (is, known bool) {
	end := text[max(0, len(text)-len(word)):]
	is = len(end) == len(word)
	for i := range len(end) {
		c := end[i]
		if c >= utf8.RuneSelf {
			return false, false
		}
		if !matchCase {
			c = small(c)
		}
		is = is && c == word[i]
	}
	return is, true
}

func foldUnicode(text []byte, matchCase bool) []byte {
	if matchCase {
		return norm.NFC.Bytes(text)
	}
	return norm.NFC.Bytes(cases.Fold().Bytes(norm.NFD.Bytes(text)))
}

// strokes are letters whose stroke or missing dot is an accent to who types them, and a
// part of the letter to Unicode.
var strokes = map[rune]byte{'ø': 'o', 'ł': 'l', 'đ': 'd', 'ħ': 'h', 'ŧ': 't', 'ı': 'i', 'Ø': 'O', 'Ł': 'L', 'Đ': 'D', 'Ħ': 'H', 'Ŧ': 'T'}

// The canonical combining classes of marks from here on stand above, below or through a
// letter, as accents do; smaller ones are signs of a script of their own.
const firstAccent = 200

// Plain returns text without accents. It is the text itself if there are none.
func Plain(text []byte) []byte {
	if IsASCII(text) {
		return text
	}
	apart := norm.NFD.Bytes(text)
	plain := make([]byte, 0, len(apart))
	for len(apart) > 0 {
		r, size := utf8.DecodeRune(apart)
		letter, stroked := strokes[r]
		switch {
		case stroked:
			plain = append(plain, letter)
		case !unicode.Is(unicode.Mn, r) || norm.NFD.Properties(apart).CCC() < firstAccent:
			plain = append(plain, apart[:size]...)
		}
		apart = apart[size:]
	}
	return norm.NFC.Bytes(plain)
}

// IsASCII reports whether text has no letters beyond those of ASCII (ISO 646).
func IsASCII(text []byte) bool {
	for _, c := range text {
		if c >= utf8.RuneSelf {
			return false
		}
	}
	return true
}
