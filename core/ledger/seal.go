package ledger

import "github.com/zeebo/blake3"

// seal is a BLAKE3 digest, cut short: two folders that differ have the same one
// by chance once in 2^64 ledgers of 2^32 folders.
type seal [16]byte

func cut(sum []byte) (s seal) {
	copy(s[:], sum)
	return s
}

// seal returns the seal over packed entries.
func (p piece) seal() seal {
	return sealer(appendText(appendText(nil, p.names), p.facts)).seal()
}

// sealer makes the seal of a folder of that of its entries, and those of the
// folders in it, which are added in order of the bytes of their names.
type sealer []byte

func newSealer(entries seal) sealer { return append(sealer(nil), entries[:]...) }

func (s *sealer) add(name string, of seal) { *s = append(appendText(*s, name), of[:]...) }

func (s sealer) seal() seal {
	sum := blake3.Sum256(s)
	return cut(sum[:])
}
