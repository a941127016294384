package entry

import (
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
)

// Algorithm is a way to take a digest: its name, the fact that such a digest
// of an entry is, and how many hexadecimal digits it has.
type Algorithm struct {
	Name     string
	Fact     Facts
	Digits   int
	Standard string
}

// Algorithms are the digests that can be known of a file, the default first.
var Algorithms = []Algorithm{
	{"sha256", FactSHA256, 64, "SHA-256 (FIPS 180-4)"},
	{"sha512", FactSHA512, 128, "SHA-512 (FIPS 180-4)"},
	{"sha384", FactSHA384, 96, "SHA-384 (FIPS 180-4)"},
	{"sha1", FactSHA1, 40, "SHA-1 (FIPS 180-4), no longer safe against forgery"},
	{"md5", FactMD5, 32, "MD5 (RFC 1321), no longer safe against forgery"},
	{"blake3", FactBLAKE3, 64, "BLAKE3"},
}

// ErrAlgorithm is returned for the name of an algorithm that there is not.
var ErrAlgorithm = errors.New("no such algorithm")

// AlgorithmNames lists the names of the algorithms.
func AlgorithmNames() []string {
	names := make([]string, len(Algorithms))
	for i, a := range Algorithms {
		names[i] = a.Name
	}
	return names
}

// LookupAlgorithm returns the algorithm of a name as people write it: in any
// letter case, with dashes or underscores or without. The error wraps
// ErrAlgorithm and names those there are.
func LookupAlgorithm(name string) (Algorithm, error) {
	plain := strings.NewReplacer("-", "", "_", "", " ", "").Replace(strings.ToLower(name))
	for _, a := range Algorithms {
		if a.Name == plain {
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
