package encoding

import (
	"encoding/binary"

	"frankledger/core/entry"
)

// PackSelf packs the place of a record itself, as a delta of one entry: the length
// of its names, these, and its facts. Nothing is packed of one that is not known.
func PackSelf(self *entry.Entry) []byte {
	if self.Kind == 0 {
		return nil
	}
	var p Packer
	p.Put(self, true, false)
	return append(appendText(nil, p.names), p.facts...)
}

// UnpackSelf returns what PackSelf packed, and false if that is damaged.
func UnpackSelf(packed []byte) (self entry.Entry, ok bool) {
	if len(packed) == 0 {
		return self, true
	}
	n, length := binary.Uvarint(packed)
	if length <= 0 || n > uint64(len(packed)-length) {
		return self, false
	}
	packed = packed[length:]
	list, err := unpackNames(nil, packed[:n], false) // that of / is none
	if err != nil || len(list) != 1 || UnpackFacts(list, packed[n:]) != nil {
		return self, false
	}
	return list[0].Entry, true
}
