package entry_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"frankledger/core/entry"
)

// Algorithms are known by the names that people write them by.
func TestLookupAlgorithm(t *testing.T) {
	for word, want := range map[string]string{"sha256": "sha256", "SHA-256": "sha256", "Sha_512": "sha512", "sha 384": "sha384", "MD5": "md5", "BLAKE3": "blake3", "sha-1": "sha1", "SHA3-256": "sha3-256", "sha3_512": "sha3-512", "SHA2-256": "sha256", "SHA2-512": "sha512", "BLAKE2b-512": "blake2b"} {
		a, err := entry.LookupAlgorithm(word)
		assert.NoError(t, err, word)
		assert.Equal(t, want, a.Name)
		assert.NotNil(t, entry.FieldNamed(a.Name), "each is a field")
	}
	for _, word := range []string{"", "sha", "sha3", "sha2-24", "sha512/256", "blake2s", "crc32"} {
		_, err := entry.LookupAlgorithm(word)
		assert.ErrorIs(t, err, entry.ErrAlgorithm, word)
	}
	digests := entry.Digests{{Fact: entry.FactMD5, Sum: "\x00\xff"}}
	assert.Equal(t, "00ff", digests.By(entry.FactMD5))
	assert.Empty(t, digests.By(entry.FactSHA1))
}
