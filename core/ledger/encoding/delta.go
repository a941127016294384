package encoding

import (
	"slices"
	"strings"

	"frankledger/core/entry"
)

// Delta is what one record says of the entries directly in a folder: all of them, in
// the first record that has the folder, and later those that are new, different or
// gone.
type Delta struct{ Names, Facts []byte }

// Clone returns a copy of a delta that was lent.
func (d Delta) Clone() Delta { return Delta{slices.Clone(d.Names), slices.Clone(d.Facts)} }

// Clip returns a delta without room to grow.
func (d Delta) Clip() Delta { return Delta{slices.Clip(d.Names), slices.Clip(d.Facts)} }

// Recorded is an entry as it was recorded.
type Recorded struct {
	Entry   entry.Entry
	Gone    bool // it no longer exists
	Unread  bool // a folder that could not be read
	Entered bool // a folder that was entered
	ends    int  // where its name ends, while it is unpacked
}

// Same reports whether nothing that is recorded of two entries differs, but for
// their names.
func (r *Recorded) Same(now *Recorded) bool {
	a, b := r.Entry, now.Entry
	x, y := entry.More{}, entry.More{}
	if a.More != nil {
		x = *a.More
	}
	if b.More != nil {
		y = *b.More
	}
	a.Folder, a.Inside, a.Name, a.More = nil, nil, "", nil
	b.Folder, b.Inside, b.Name, b.More = nil, nil, "", nil
	return r.Gone == now.Gone && r.Entered == now.Entered && r.Unread == now.Unread && a == b &&
		x.Target == y.Target && x.Created == y.Created && slices.Equal(x.Digests, y.Digests) && sameDetails(&x, &y)
}

// Pack packs it again.
func (r *Recorded) Pack(p *Packer) {
	if r.Gone {
		p.Remove(r.Entry.Name)
		return
	}
	p.Put(&r.Entry, r.Entered, r.Unread)
}

// Unpack appends what a delta says, with what it says is gone.
func Unpack(entries []Recorded, d Delta) ([]Recorded, error) {
	first := len(entries)
	entries, err := UnpackNames(entries, d.Names)
	if err == nil {
		err = UnpackFacts(entries[first:], d.Facts)
	}
	return entries, err
}

// Overlay lays the deltas of a folder over one another, the oldest first, and
// returns what it held after the last, in order of the bytes of names.
func Overlay(deltas []Delta) ([]Recorded, error) {
	entries, err := overlay(deltas)
	return slices.DeleteFunc(entries, func(r Recorded) bool { return r.Gone }), err
}

// Join makes one delta of some that follow one another. If they are all there are,
// it need not say what is gone.
func Join(deltas []Delta, all bool) (Delta, error) {
	entries, err := overlay(deltas)
	if err != nil {
		return Delta{}, err
	}
	var p Packer
	for i := range entries {
		if r := &entries[i]; !r.Gone || !all {
			r.Pack(&p)
		}
	}
	return p.Delta(), nil
}

// overlay keeps what is gone.
func overlay(deltas []Delta) (entries []Recorded, err error) {
	for _, d := range deltas {
		fresh, err := Unpack(nil, d)
		if err != nil {
			return nil, err
		}
		entries = merge(entries, fresh)
	}
	return entries, nil
}

// merge puts two lists in order of names together; the second has the say.
func merge(old, fresh []Recorded) []Recorded {
	if len(old) == 0 {
		return fresh
	}
	if len(fresh) > 0 && old[len(old)-1].Entry.Name < fresh[0].Entry.Name { // the next part of the same
		return append(old, fresh...)
	}
	merged := make([]Recorded, 0, len(old)+len(fresh))
	for len(old) > 0 && len(fresh) > 0 {
		switch c := strings.Compare(old[0].Entry.Name, fresh[0].Entry.Name); {
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

// Find finds a name among entries in order of names.
func Find(entries []Recorded, name string) (int, bool) {
	return slices.BinarySearchFunc(entries, name, func(r Recorded, name string) int { return strings.Compare(r.Entry.Name, name) })
}
