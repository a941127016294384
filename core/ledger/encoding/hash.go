package encoding

import (
	"encoding/binary"

	"github.com/zeebo/blake3"
)

// Hash is a BLAKE3 digest, cut short to 128 bits: two folders that differ have the
// same one by chance once in 2^64 ledgers of 2^32 folders.
type Hash [16]byte

func hashOf(content []byte) (h Hash) {
	sum := blake3.Sum256(content)
	copy(h[:], sum[:])
	return h
}

// Hash returns the hash over packed entries.
func (d Delta) Hash() (h Hash) {
	if len(d.Names)+len(d.Facts) < worthStreaming {
		return hashOf(appendText(appendText(nil, d.Names), d.Facts))
	}
	hasher := blake3.New()
	for _, part := range [][]byte{d.Names, d.Facts} {
		hasher.Write(binary.AppendUvarint(nil, uint64(len(part))))
		hasher.Write(part)
	}
	copy(h[:], hasher.Sum(nil))
	return h
}

// worthStreaming is from how many bytes on a copy of them costs more than a hasher.
const worthStreaming = 1 << 20

// TreeHasher makes the tree hash of a folder: over the hash of its entries, and
// the names and tree hashes of the folders in it, which are added in order of the
// bytes of their names.
type TreeHasher []byte

// NewTreeHasher begins with the hash of a folder's entries.
func NewTreeHasher(entries Hash) TreeHasher { return append(TreeHasher(nil), entries[:]...) }

// Add adds a folder in it.
func (t *TreeHasher) Add(name string, tree Hash) { *t = append(appendText(*t, name), tree[:]...) }

// Hash returns the tree hash of the folder.
func (t TreeHasher) Hash() Hash { return hashOf(t) }
