package ledger

import "encoding/binary"

// The place itself is packed as a piece of one entry: the length of its names,
// these, and its facts.

func (r *Record) packSelf() []byte {
	if r.self.Kind == 0 {
		return nil
	}
	var p packer
	p.put(&r.self, true, false)
	return append(appendText(nil, p.names), p.facts...)
}

// unpackSelf returns false if the packing is damaged.
func (r *Record) unpackSelf(packed []byte) bool {
	if len(packed) == 0 {
		return true
	}
	n, length := binary.Uvarint(packed)
	if length <= 0 || n > uint64(len(packed)-length) {
		return false
	}
	packed = packed[length:]
	list, err := appendAll(nil, piece{packed[:n], packed[n:]})
	if err != nil || len(list) != 1 {
		return false
	}
	r.self = list[0].entry
	return true
}
