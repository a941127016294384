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

// Clone returns a copy of an entry that is good only until the next is read.
func (r *Recorded) Clone() Recorded {
	kept := *r
	kept.Entry.Name = strings.Clone(r.Entry.Name)
	if r.Entry.More != nil {
		more := *r.Entry.More
		kept.Entry.More = &more
	}
	return kept
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
	return slices.DeleteFunc(entries, isGone), err
}

func isGone(r Recorded) bool { return r.Gone }

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

// Pieces lays deltas over one another like [Overlay], and calls a function with what that gives, a piece after the other.
// The first deltas, so many, are parts of one that follow one another: each of them is a piece, with what the later ones
// change in it. So only one part and the later deltas are in memory at a time. A piece is valid only during the call.
func Pieces(deltas []Delta, parts int, do func([]Recorded) error) error {
	late, err := overlay(deltas[parts:])
	if err != nil {
		return err
	}
	var room []Recorded
	for i, d := range deltas[:parts] {
		if room, err = Unpack(room[:0], d); err != nil {
			return err
		}
		n := len(late)
		if i < parts-1 {
			n = 0
			if last := len(room) - 1; last >= 0 {
				n, _ = Find(late, room[last].Entry.Name)
				for n < len(late) && late[n].Entry.Name <= room[last].Entry.Name {
					n++
				}
			}
		}
		room = merge(room, late[:n:n])
		late = late[n:]
		room = slices.DeleteFunc(room, isGone)
		if err := do(room); err != nil {
			return err
		}
	}
	return nil
}

// overlay keeps what is gone. Lists of about the same length are merged first, so that a long one, such as that of the
// first record, is not gone through for each short one that follows.
func overlay(deltas []Delta) ([]Recorded, error) {
	var lists [][]Recorded // each more than twice as long as the next
	for _, d := range deltas {
		last := len(lists) - 1
		if last >= 0 && d.follows(lists[last]) { // the next part of the same
			var err error
			if lists[last], err = Unpack(lists[last], d); err != nil {
				return nil, err
			}
		} else {
			fresh, err := Unpack(nil, d)
			if err != nil {
				return nil, err
			}
			lists = append(lists, fresh)
		}
		for last = len(lists) - 1; last > 0 && len(lists[last-1]) <= 2*len(lists[last]); last-- {
			lists[last-1] = merge(lists[last-1], lists[last])
			lists = lists[:last]
		}
	}
	for last := len(lists) - 1; last > 0; last-- {
		lists[last-1] = merge(lists[last-1], lists[last])
	}
	if len(lists) == 0 {
		return nil, nil
	}
	return lists[0], nil
}

// follows reports whether all names of a delta come after those of a list.
func (d Delta) follows(list []Recorded) bool {
	first, err := firstName(d.Names)
	return err == nil && len(list) > 0 && list[len(list)-1].Entry.Name < first
}

// searchBelow is how many times as long a list must be as another for searching it to be faster than going through it.
const searchBelow = 16

// merge puts two lists in order of names together; the second has the say. It uses the room of the first.
func merge(old, fresh []Recorded) []Recorded {
	// What is in both takes its place at once.
	added, at := 0, 0
	few := len(fresh) < len(old)/searchBelow
	for i := range fresh {
		name := fresh[i].Entry.Name
		if few {
			n, _ := Find(old[at:], name)
			at += n
		}
		for at < len(old) && old[at].Entry.Name < name {
			at++
		}
		if at < len(old) && old[at].Entry.Name == name {
			old[at] = fresh[i]
			continue
		}
		fresh[added], added = fresh[i], added+1
	}
	// What is new goes in between, from the end on.
	n := len(old)
	old = slices.Grow(old, added)[:n+added]
	for to := len(old) - 1; added > 0; to-- {
		if n > 0 && old[n-1].Entry.Name > fresh[added-1].Entry.Name {
			old[to], n = old[n-1], n-1
		} else {
			old[to], added = fresh[added-1], added-1
		}
	}
	return old
}

// Find finds a name among entries in order of names.
func Find(entries []Recorded, name string) (int, bool) {
	return slices.BinarySearchFunc(entries, name, func(r Recorded, name string) int { return strings.Compare(r.Entry.Name, name) })
}
