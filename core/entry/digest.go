package entry

import (
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha3"
	"crypto/sha512"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"slices"
	"strings"

	"github.com/zeebo/blake3"
	"golang.org/x/crypto/blake2b"
)

// Algorithm is a way to take a digest.
type Algorithm struct {
	Name     string
	Digits   int // hexadecimal, of a digest
	Standard string
	New      func() hash.Hash
	// Stored is its number in records: it stays, and is never given again.
	Stored int
	Fact   Facts // that such a digest of an entry is
	others []string
}

func newBlake2b() hash.Hash {
	h, err := blake2b.New512(nil)
	if err != nil {
		panic(err) // that is of a key, and there is none
	}
	return h
}

// Algorithms are the digests that can be known of a file, the default first. To add
// one, add a row.
var Algorithms = numbered([]Algorithm{
	{Name: "sha256", Digits: 64, Standard: "SHA-256 (FIPS 180-4)", New: sha256.New, Stored: 0},
	{Name: "sha512", Digits: 128, Standard: "SHA-512 (FIPS 180-4)", New: sha512.New, Stored: 1},
	{Name: "sha384", Digits: 96, Standard: "SHA-384 (FIPS 180-4)", New: sha512.New384, Stored: 2},
	{Name: "sha1", Digits: 40, Standard: "SHA-1 (FIPS 180-4), no longer safe against forgery", New: sha1.New, Stored: 3},
	{Name: "md5", Digits: 32, Standard: "MD5 (RFC 1321), no longer safe against forgery", New: md5.New, Stored: 4},
	{Name: "blake3", Digits: 64, Standard: "BLAKE3", New: func() hash.Hash { return blake3.New() }, Stored: 5},
	{Name: "sha3-256", Digits: 64, Standard: "SHA3-256 (FIPS 202)", New: func() hash.Hash { return sha3.New256() }, Stored: 6},
	{Name: "sha3-512", Digits: 128, Standard: "SHA3-512 (FIPS 202)", New: func() hash.Hash { return sha3.New512() }, Stored: 7},
	{Name: "blake2b", Digits: 128, Standard: "BLAKE2b of 64 bytes (RFC 7693)", New: newBlake2b, Stored: 8, others: []string{"blake2b512"}},
})

// numbered gives each algorithm its fact.
func numbered(list []Algorithm) []Algorithm {
	for i := range list {
		list[i].Fact = firstDigest << list[i].Stored
	}
	return list
}

// FactDigests are all facts that take reading all of a file.
var FactDigests = func() (all Facts) {
	for _, a := range Algorithms {
		all |= a.Fact
	}
	return all
}()

// AllFacts are all facts that there are.
var AllFacts = FactText | FactTwins | FactDigests | (firstDigest - 1)

// StoredDigests returns the digests that are stored under numbers, as bits.
func StoredDigests(numbers uint64) Facts { return Facts(numbers) * firstDigest & FactDigests }

// Stored returns the numbers under which digests are stored, as bits.
func (f Facts) Stored() uint64 { return uint64(f&FactDigests) / uint64(firstDigest) }

// ErrAlgorithm is returned for the name of an algorithm that does not exist.
var ErrAlgorithm = errors.New("no such algorithm")

// AlgorithmNames lists the names of the algorithms.
func AlgorithmNames() []string {
	names := make([]string, len(Algorithms))
	for i, a := range Algorithms {
		names[i] = a.Name
	}
	return names
}

// plainName is the name of an algorithm without what people write in it or not.
func plainName(name string) string { return between.Replace(strings.ToLower(name)) }

var between = strings.NewReplacer("-", "", "_", "", " ", "")

// LookupAlgorithm returns the algorithm of a name as people write it: in any
// letter case, with dashes or underscores or without. The error wraps
// ErrAlgorithm and names those there are.
func LookupAlgorithm(name string) (Algorithm, error) {
	plain := plainName(name)
	if size, is := strings.CutPrefix(plain, "sha2"); is && len(size) == 3 { // SHA2-256 is SHA-256
		plain = "sha" + size
	}
	for _, a := range Algorithms {
		if plain == a.Name || len(plain) < len(a.Name) && plainName(a.Name) == plain || slices.Contains(a.others, plain) {
			return a, nil
		}
	}
	return Algorithm{}, fmt.Errorf("%w: %q; there are %s", ErrAlgorithm, name, strings.Join(AlgorithmNames(), ", "))
}

// Digests are digests of one content, by different algorithms.
type Digests []Digest

// Digest is a digest of the algorithm of that fact. Its sum is kept as bytes,
// which takes half the memory of hexadecimal digits.
type Digest struct {
	Fact Facts
	Sum  string
}

// Sum returns the bytes of the digest by an algorithm, "" if it is not known.
func (d Digests) Sum(fact Facts) string {
	for _, one := range d {
		if one.Fact == fact {
			return one.Sum
		}
	}
	return ""
}

// By returns the digest by an algorithm in hexadecimal, "" if it is not known.
func (d Digests) By(fact Facts) string { return hex.EncodeToString([]byte(d.Sum(fact))) }

// FirstDigest returns the first of the algorithms, in their order, that a digest
// of the entry is known by; 0 if none is.
func (e *Entry) FirstDigest() Facts {
	for _, a := range Algorithms {
		if e.Known.Has(a.Fact) {
			return a.Fact
		}
	}
	return 0
}
