package ledger

import (
	"slices"
	"strings"

	"frankledger/core/entry"
)

// piece is what one record says of a folder.
type piece struct{ names, facts []byte }

// kept is an entry as it was recorded.
type kept struct {
	entry   entry.Entry
	gone    bool // it is there no longer
	unread  bool // a folder that could not be read
	entered bool // a folder that was gone into
	ends    int  // where its name ends, while it is unpacked
}

// same tells whether nothing that is recorded of two entries differs, but for
// their names.
func (k *kept) same(now *kept) bool {
	a, b := k.entry, now.entry
	x, y := entry.More{}, entry.More{}
	if a.More != nil {
		x = *a.More
	}
	if b.More != nil {
		y = *b.More
	}
	a.Folder, a.Inside, a.Name, a.More = nil, nil, "", nil
	b.Folder, b.Inside, b.Name, b.More = nil, nil, "", nil
	return k.gone == now.gone && k.entered == now.entered && k.unread == now.unread && a == b &&
		x.Target == y.Target && x.Created == y.Created && slices.Equal(x.Digests, y.Digests)
}

// sameButRead tells whether nothing is different but when it was read, which is no
// change.
func (k *kept) sameButRead(now *kept) bool {
	read := *k
	read.entry.Accessed = now.entry.Accessed
	return read.same(now)
}

// pack packs it again.
func (k *kept) pack(p *packer) {
	if k.gone {
		p.remove(k.entry.Name)
		return
	}
	p.put(&k.entry, k.entered, k.unread)
}

// appendAll unpacks a piece, with what it says is gone.
func appendAll(entries []kept, p piece) ([]kept, error) {
	first := len(entries)
	entries, err := unpackNames(entries, p.names)
	if err == nil {
		err = unpackFacts(entries[first:], p.facts)
	}
	return entries, err
}

// overlay lays the pieces of a folder over one another, the oldest first, and
// returns what it held after the last, in order of the bytes of names.
func overlay(pieces []piece) (entries []kept, err error) {
	for i, p := range pieces {
		fresh, err := appendAll(nil, p)
		if err != nil {
			return nil, err
		}
		if entries = merge(entries, fresh); i == len(pieces)-1 {
			entries = slices.DeleteFunc(entries, func(k kept) bool { return k.gone })
		}
	}
	return entries, nil
}

// merge puts two lists in order of names together; the second has the say.
func merge(old, fresh []kept) []kept {
	merged := make([]kept, 0, len(old)+len(fresh))
	for len(old) > 0 && len(fresh) > 0 {
		switch c := strings.Compare(old[0].entry.Name, fresh[0].entry.Name); {
		case c < 0:
			merged, old = append(merged, old[0]), old[1:]
		case c > 0:
			merged, fresh = append(merged, fresh[0]), fresh[1:]
		default:
			merged, old, fresh = append(merged, fresh[0]), old[1:], fresh[1:]
		}
	}
	return append(append(merged, old...), fresh...)
}
