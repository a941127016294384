package digestlist

import (
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"frankledger/core/entry"
)

// Digest is a digest as someone published it.
type Digest struct {
	Hex string // small letters
	// Algorithms are those that it may be of: several where nothing but the
	// length tells, which SHA-256 and BLAKE3 have in common.
	Algorithms []entry.Algorithm
}

// Facts are the digests that a content's have to be compared with.
func (v Digest) Facts() entry.Facts {
	var facts entry.Facts
	for _, a := range v.Algorithms {
		facts |= a.Fact
	}
	return facts
}

// Among returns the digest that a content's digests are to be compared with:
// the one that is the same, or, if none is, the first that it may be of.
func (v Digest) Among(digests entry.Digests) (actual string, a entry.Algorithm, same bool) {
	for _, a := range v.Algorithms {
		if len(digests.Sum(a.Fact)) > 0 && digests.By(a.Fact) == v.Hex {
			return v.Hex, a, true
		}
	}
	return digests.By(v.Algorithms[0].Fact), v.Algorithms[0], false
}

// Names names the algorithms that it may be of.
func (v Digest) Names() string {
	var names []string
	for _, a := range v.Algorithms {
		names = append(names, a.Name)
	}
	last := len(names) - 1
	if last < 1 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:last], ", ") + " or " + names[last]
}

// Of returns the digest as one of an algorithm, and false if it cannot be that.
func (v Digest) Of(a entry.Algorithm) (Digest, bool) {
	return Digest{v.Hex, []entry.Algorithm{a}}, v.Facts().Has(a.Fact)
}

// ErrDigest is the error of text that is no digest.
var ErrDigest = errors.New("not a digest")

// ParseDigest reads a digest: in hexadecimal, in any letter case, in one piece
// or in groups, with the name of an algorithm before it or without (sha256:…,
// SHA-256 …); or in the form of W3C Subresource Integrity, sha256-BASE64. The
// error wraps ErrDigest and says what is wrong.
func ParseDigest(text string) (Digest, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return Digest{}, fmt.Errorf("%w: it is empty", ErrDigest)
	}
	name, rest := splitAlgorithm(text)
	if name == "" {
		return parseHex(text, nil)
	}
	a, err := entry.LookupAlgorithm(name)
	if err != nil {
		return Digest{}, err
	}
	if digits := ungrouped(rest[1:]); len(digits) == a.Digits || rest[0] != '-' {
		return parseHex(rest[1:], []entry.Algorithm{a})
	}
	encoded, _, _ := strings.Cut(rest[1:], "?") // the form allows options there
	sum, err := base64.StdEncoding.DecodeString(encoded)
	if err != nil {
		if sum, err = base64.RawURLEncoding.DecodeString(strings.TrimRight(encoded, "=")); err != nil {
			return Digest{}, fmt.Errorf("%w: after %s-, write base64 or %d hexadecimal digits", ErrDigest, name, a.Digits)
		}
	}
	if len(sum)*2 != a.Digits {
		return Digest{}, fmt.Errorf("%w: %s has %d bytes, and these are %d", ErrDigest, a.Name, a.Digits/2, len(sum))
	}
	return Digest{hex.EncodeToString(sum), []entry.Algorithm{a}}, nil
}

// named is a digest with the name of an algorithm before it. Dashes belong to
// the name in forms like SHA-256, and part it from base64 in sha256-….
var named = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?is)^((?:sha|sha3|blake|md)-\d{1,3}|[a-z][a-z0-9/_]*)([:= \t-].*)$`)
})

func splitAlgorithm(text string) (name, rest string) {
	if isHex(text) { // most are
		return "", text
	}
	m := named().FindStringSubmatch(text)
	if m == nil || isHex(m[1]) {
		return "", text
	}
	return m[1], m[2]
}

// ungrouped takes out what parts groups of digits.
func ungrouped(text string) string {
	if isHex(text) {
		return text
	}
	return strings.NewReplacer(" ", "", "\t", "", "\n", "", "\r", "", ":", "").Replace(text)
}

// parseHex reads hexadecimal digits, of one of the algorithms or, if there are
// none, of those that have as many digits.
func parseHex(text string, algorithms []entry.Algorithm) (Digest, error) {
	digits := strings.ToLower(strings.TrimLeft(ungrouped(text), "= "))
	if !isHex(digits) {
		at := strings.IndexFunc(digits, func(r rune) bool { return !strings.ContainsRune("0123456789abcdef", r) })
		r, _ := utf8.DecodeRuneInString(digits[at:])
		return Digest{}, fmt.Errorf("%w: %q, the character at %d, is not a hexadecimal digit", ErrDigest, r, at+1)
	}
	if len(algorithms) > 0 {
		if a := algorithms[0]; len(digits) != a.Digits {
			return Digest{}, fmt.Errorf("%w: %s has %d digits, and these are %d", ErrDigest, a.Name, a.Digits, len(digits))
		}
		return Digest{digits, algorithms}, nil
	}
	if algorithms = ofLength(len(digits)); len(algorithms) == 0 {
		return Digest{}, fmt.Errorf("%w: it has %d digits%s; %s", ErrDigest, len(digits), knownElsewhere[len(digits)], lengths())
	}
	return Digest{digits, algorithms}, nil
}

// byLength are the algorithms by how many digits their digests have.
var byLength = func() map[int][]entry.Algorithm {
	lengths := map[int][]entry.Algorithm{}
	for _, a := range entry.Algorithms {
		lengths[a.Digits] = append(lengths[a.Digits], a)
	}
	return lengths
}()

func ofLength(digits int) []entry.Algorithm { return byLength[digits] }

// knownElsewhere names algorithms that are not had here, by their digits.
var knownElsewhere = map[int]string{
	8:  ", like CRC-32, which is not supported",
	48: ", like Tiger, which is not supported",
	56: ", like SHA-224, which is not supported",
}

func lengths() string {
	var parts []string
	for _, a := range entry.Algorithms {
		parts = append(parts, fmt.Sprintf("%s has %d", a.Name, a.Digits))
	}
	return strings.Join(parts, ", ")
}
