package encoding

import "github.com/zeebo/blake3"

// Hash is a BLAKE3 digest, cut short to 128 bits: two folders that differ have the
// same one by chance once in 2^64 ledgers of 2^32 folders.
type Hash [16]byte

func hashOf(content []byte) (h Hash) {
	sum := blake3.Sum256(content)
	copy(h[:], sum[:])
	return h
}

// Hash returns the hash over packed entries.
func (d Delta) Hash() Hash {
	return hashOf(appendText(appendText(nil, d.Names), d.Facts))
}

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
