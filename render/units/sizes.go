package units

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"frankledger/core/quantity"
)

// Sizes are how numbers of bytes are shown to people, after IEC 80000-13.
type Sizes uint8

const (
	Binary   Sizes = iota // 1 KiB = 1024 B
	Decimal               // 1 kB = 1000 B
	AllBytes              // every byte, digits in threes
	fixed                 // from here on one unit for all, in the order of unitWords
)

// unitWords are the words for units: ways to choose one for each number, and then units.
var unitWords = slices.Concat([]string{"binary", "decimal", "bytes"}, decimalNames[1:], binaryNames[1:])

// SizeWords lists the words for units, the default first.
func SizeWords() []string { return unitWords }

// ParseSizes reads the word for units.
func ParseSizes(word string) (Sizes, error) {
	if i := slices.IndexFunc(unitWords, func(one string) bool { return strings.EqualFold(one, word) }); i >= 0 {
		return Sizes(i), nil
	}
	i, err := choose("units", word, unitWords)
	return Sizes(i), err
}

func (u Sizes) String() string { return unitWords[u] }

var (
	binaryNames  = []string{"B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"}
	decimalNames = []string{"B", "kB", "MB", "GB", "TB", "PB", "EB"}
)

// Fixed returns the unit that all numbers are shown in, and how many bytes that is; "" where each has its own.
func (u Sizes) Fixed() (unit string, bytes int64) {
	if u < fixed {
		return "", 1
	}
	base, power := int64(1000), int(u-fixed)
	if power >= len(decimalNames)-1 {
		base, power = 1024, power-len(decimalNames)+1
	}
	bytes = base
	for range power {
		bytes *= base
	}
	return unitWords[u], bytes
}

// IsDecimal reports whether units are by 1000.
func (u Sizes) IsDecimal() bool {
	unit, _ := u.Fixed()
	return u == Decimal || unit != "" && !strings.Contains(unit, "i")
}

// Size returns a number of bytes in two parts: the number, with one digit
// after the point where it is rounded, and its unit. It is rounded half up, and
// never up to a full next unit: 1023.96 KiB is 1.0 MiB.
func (u Sizes) Size(bytes int64) (number, unit string) {
	text, unit := u.AppendSize(nil, bytes)
	return string(text), unit
}

// AppendSize appends the number. A sum that is past the largest number is at least that.
func (u Sizes) AppendSize(dst []byte, bytes int64) (number []byte, unit string) {
	if bytes == quantity.TooMuch {
		dst = append(dst, "≥ "...)
	}
	base, names := int64(1024), binaryNames
	switch u {
	case Decimal:
		base, names = 1000, decimalNames
	case AllBytes:
		return AppendGrouped(dst, bytes), "B"
	case Binary:
	default:
		unit, each := u.Fixed()
		return appendTenths(dst, bytes, each), unit
	}
	if bytes < base {
		return strconv.AppendInt(dst, bytes, 10), names[0]
	}
	scale, step := base, 1
	for bytes/scale >= base {
		scale *= base
		step++
	}
	whole, rest := bytes/scale, bytes%scale
	tenths := int64(float64(rest)/float64(scale)*10 + 0.5)
	if tenths == 10 {
		whole, tenths = whole+1, 0
	}
	if whole == base {
		whole, step = 1, step+1
	}
	dst = append(strconv.AppendInt(dst, whole, 10), '.')
	return strconv.AppendInt(dst, tenths, 10), names[step]
}

// appendTenths appends how many times a number has another one in it, with one digit after the point, rounded half
// up. What is not nothing is not shown as that.
func appendTenths(dst []byte, bytes, each int64) []byte {
	whole, rest := bytes/each, bytes%each
	tenths := int64(float64(rest)/float64(each)*10 + 0.5)
	if tenths == 10 {
		whole, tenths = whole+1, 0
	}
	if whole == 0 && tenths == 0 && bytes > 0 {
		return append(dst, "< 0.1"...)
	}
	dst = append(AppendGrouped(dst, whole), '.')
	return strconv.AppendInt(dst, tenths, 10)
}

// AppendData appends a number of bytes for a program that is to go on with it: in a fixed unit all its digits,
// with none of the unit, and otherwise as people are shown it.
func (u Sizes) AppendData(dst []byte, bytes int64) []byte {
	unit, each := u.Fixed()
	switch {
	case u == AllBytes:
		return strconv.AppendInt(dst, bytes, 10)
	case unit != "":
		return strconv.AppendFloat(dst, float64(bytes)/float64(each), 'f', -1, 64)
	}
	return append(dst, u.SizeText(bytes)...)
}

// SizeText returns a number of bytes with its unit.
func (u Sizes) SizeText(bytes int64) string {
	number, unit := u.Size(bytes)
	return number + " " + unit
}

// Grouped writes a number with its digits in threes, parted by spaces as ISO
// 80000-1 has it.
func Grouped(n int64) string { return string(AppendGrouped(nil, n)) }

// AppendGrouped appends a number with its digits in groups of three.
func AppendGrouped(dst []byte, n int64) []byte {
	var room [20]byte
	digits := strconv.AppendInt(room[:0], n, 10)
	if n < 0 {
		dst, digits = append(dst, '-'), digits[1:]
	}
	for i, digit := range digits {
		if left := len(digits) - i; i > 0 && left%3 == 0 {
			dst = append(dst, ' ')
		}
		dst = append(dst, digit)
	}
	return dst
}

// Count writes a number with the noun it counts: "1 file", "2 files".
func Count(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Grouped(n) + " " + many
}

// choose finds a word among those there are.
func choose(what, word string, words []string) (int, error) {
	for i := range words {
		if words[i] == word {
			return i, nil
		}
	}
	return 0, fmt.Errorf("%s can be %s, not %q", what, alternatives(words), word)
}

// alternatives writes words as English does: a, b or c.
func alternatives(words []string) string {
	text := words[0]
	for i, word := range words[1:] {
		if i == len(words)-2 {
			text += " or " + word
		} else {
			text += ", " + word
		}
	}
	return text
}

// RoundText writes a number of bytes, mostly a round one, with its unit and no more digits than
// it takes.
func (u Sizes) RoundText(bytes float64) string {
	if u == AllBytes {
		return u.SizeText(int64(bytes))
	}
	if unit, each := u.Fixed(); unit != "" {
		return strconv.FormatFloat(bytes/float64(each), 'g', 4, 64) + " " + unit
	}
	base, names := 1024.0, binaryNames
	if u == Decimal {
		base, names = 1000, decimalNames
	}
	step := 0
	for bytes >= base && step < len(names)-1 {
		bytes, step = bytes/base, step+1
	}
	return strconv.FormatFloat(bytes, 'g', 4, 64) + " " + names[step]
}
