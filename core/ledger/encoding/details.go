package encoding

import (
	"encoding/binary"
	"slices"

	"frankledger/core/entry"
)

// detailFacts are those of an entry that come in one text: attributes, access lists,
// capabilities and flags.
const detailFacts = entry.FactXattrs | entry.FactFlags

// AppendDetails appends details packed: the number of names of attributes, and these; of
// the access list and the default one how many entries each has, and of these who, the
// number of whom, and what they may; the capabilities; the number of flags, and these.
// Nothing at all stands for none of it.
func AppendDetails(dst []byte, d *entry.Details) []byte {
	if len(d.Xattrs)+len(d.Access)+len(d.Default)+len(d.Flags) == 0 && d.Capabilities == "" {
		return dst
	}
	texts := func(list []string) {
		dst = binary.AppendUvarint(dst, uint64(len(list)))
		for _, text := range list {
			dst = appendText(dst, text)
		}
	}
	texts(d.Xattrs)
	for _, list := range []entry.AccessList{d.Access, d.Default} {
		dst = binary.AppendUvarint(dst, uint64(len(list)))
		for _, a := range list {
			dst = binary.AppendUvarint(dst, uint64(a.Who))
			dst = binary.AppendUvarint(dst, uint64(a.ID))
			dst = binary.AppendUvarint(dst, uint64(a.May))
		}
	}
	dst = appendText(dst, d.Capabilities)
	texts(d.Flags)
	return dst
}

// ParseDetails reads what AppendDetails appends.
func ParseDetails(packed []byte) (*entry.Details, error) {
	d := &entry.Details{}
	if len(packed) == 0 {
		return d, nil
	}
	var u unpacker
	count := func() int {
		n := u.uvarint(&packed)
		if n > uint64(len(packed)) {
			u.err = errPacked
			return 0
		}
		return int(n)
	}
	texts := func() (list []string) {
		for range count() {
			list = append(list, string(u.bytes(&packed, u.uvarint(&packed))))
		}
		return list
	}
	d.Xattrs = texts()
	for _, list := range []*entry.AccessList{&d.Access, &d.Default} {
		for range count() {
			*list = append(*list, entry.AccessEntry{Who: entry.AccessWho(u.uvarint(&packed)), ID: uint32(u.uvarint(&packed)), May: entry.Permissions(u.uvarint(&packed)) & 7})
		}
	}
	d.Capabilities = string(u.bytes(&packed, u.uvarint(&packed)))
	d.Flags = texts()
	if u.err == nil && len(packed) > 0 {
		u.err = errPacked
	}
	return d, u.err
}

// sameDetails reports whether two entries have the same details.
func sameDetails(a, b *entry.More) bool {
	x, y := a.Details, b.Details
	if x == nil || y == nil {
		return x == y
	}
	return slices.Equal(x.Xattrs, y.Xattrs) && slices.Equal(x.Access, y.Access) && slices.Equal(x.Default, y.Default) &&
		x.Capabilities == y.Capabilities && slices.Equal(x.Flags, y.Flags)
}
