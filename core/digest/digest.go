// Package digest computes digests of content.
package digest

import (
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"hash"
	"io"

	"github.com/zeebo/blake3"

	"frankledger/core/entry"
)

func newHash(fact entry.Facts) hash.Hash {
	switch fact {
	case entry.FactSHA256:
		return sha256.New()
	case entry.FactSHA512:
		return sha512.New()
	case entry.FactSHA1:
		return sha1.New()
	case entry.FactMD5:
		return md5.New()
	case entry.FactBLAKE3:
		return blake3.New()
	}
	return nil
}

// Read reads content to its end, once for all wanted digests, and returns them
// in hexadecimal by their facts, and the number of bytes.
func Read(content io.Reader, wanted entry.Facts) (map[entry.Facts]string, int64, error) {
	hashes := map[entry.Facts]hash.Hash{}
	var writers []io.Writer
	for _, d := range entry.Digests {
		if wanted&d.Fact != 0 {
			hashes[d.Fact] = newHash(d.Fact)
			writers = append(writers, hashes[d.Fact])
		}
	}
	n, err := io.CopyBuffer(io.MultiWriter(writers...), struct{ io.Reader }{content}, make([]byte, 128<<10))
	if err != nil {
		return nil, n, err
	}
	digests := map[entry.Facts]string{}
	for fact, h := range hashes {
		digests[fact] = hex.EncodeToString(h.Sum(nil))
	}
	return digests, n, nil
}
