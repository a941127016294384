package encoding

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"unsafe"

	"frankledger/core/entry"
)

// Entries of a folder are Recorded packed, in order of the bytes of their names: the
// names in one blob, so that a search by name reads nothing else, and the facts
// in another. Both are runs of variable-length integers (as encoding/binary has
// them: seven bits a byte, the least first; signed ones in zigzag) and bytes.
//
// A name is how many bytes it has in common with the one before, how many
// follow, these, and a byte for its kind, with bits beside. The facts of an
// entry are bits that tell what is there, and then that; what is gone has none.

// Bits beside the kind of an entry, and what stands for the kind of one that was
// there before and is no longer.
const (
	kindBits  = 0x0f
	isEntered = 0x10 // a folder that was entered
	isUnread  = 0x20 // a folder that could not be read
	isFlagged = 0x40 // hidden by the system's flag
	isUnsized = 0x80 // a file whose content is made as it is read
	kindGone  = 0xff
)

// Bits before the facts of an entry.
const (
	hasStatus      = 1 << iota // else nothing is known but the kind
	sameOwner                  // user and group are those of the entry before
	sameDevice                 // likewise
	sameMode                   // likewise
	oneLink                    // it has one name
	accessedAsMade             // it was last read when it was last modified
	hasCreated
	hasTarget
	hasDigests
	hasDetails // attributes, access lists, capabilities and flags were asked for
)

// Algorithms are those of entry in the order that their digests are packed in.
var Algorithms = slices.SortedFunc(slices.Values(entry.Algorithms), func(a, b entry.Algorithm) int { return cmp.Compare(a.Stored, b.Stored) })

// Packer packs the entries of a folder, which are put in order of the bytes of their
// names.
type Packer struct {
	names, facts []byte
	details      []byte // room for those of an entry
	last         []byte // name; those that are put may be lent
	before       neighbour
}

// neighbour is what is taken from the entry before.
type neighbour struct {
	uid, gid          uint32
	permissions       entry.Permissions
	device, inode     uint64
	modified, changed entry.Time
}

func neighbourOf(e *entry.Entry) neighbour {
	return neighbour{e.UID, e.GID, e.Permissions, e.Device, e.Inode, e.Modified, e.Changed}
}

// Reset begins another folder, in the same room.
func (p *Packer) Reset() {
	*p = Packer{names: p.names[:0], facts: p.facts[:0], details: p.details[:0], last: p.last[:0]}
}

// Delta returns what was packed. It is lent until the next call.
func (p *Packer) Delta() Delta { return Delta{p.names, p.facts} }

func (p *Packer) name(name string, kind byte) {
	common := 0
	for common < len(name) && common < len(p.last) && name[common] == p.last[common] {
		common++
	}
	p.names = binary.AppendUvarint(p.names, uint64(common))
	p.names = binary.AppendUvarint(p.names, uint64(len(name)-common))
	p.names = append(p.names, name[common:]...)
	p.names = append(p.names, kind)
	p.last = append(p.last[:0], name...)
}

// Remove notes that an entry is no longer there.
func (p *Packer) Remove(name string) { p.name(name, kindGone) }

// Put adds an entry, whose folder was entered, or could not be read.
func (p *Packer) Put(e *entry.Entry, entered, unread bool) {
	kind := byte(e.Kind)
	for _, bit := range []struct {
		so  bool
		bit byte
	}{{entered, isEntered}, {unread, isUnread}, {e.Marks&entry.MarkFlaggedHidden != 0, isFlagged}, {e.Marks&entry.MarkUnsized != 0, isUnsized}} {
		if bit.so {
			kind |= bit.bit
		}
	}
	p.name(e.Name, kind)
	b := &p.before
	var bits uint64
	set := func(bit uint64, so bool) {
		if so {
			bits |= bit
		}
	}
	status := e.Known.Has(entry.FactStatus)
	set(hasStatus, status)
	if status {
		set(sameOwner, e.UID == b.uid && e.GID == b.gid)
		set(sameDevice, e.Device == b.device)
		set(sameMode, e.Permissions == b.permissions)
		set(oneLink, e.Links == 1)
		set(accessedAsMade, e.Accessed == e.Modified)
	}
	set(hasCreated, e.Known.Has(entry.FactCreated))
	set(hasTarget, e.Known.Has(entry.FactTarget) && e.Kind == entry.KindLink)
	digests := e.Known & entry.FactDigests
	set(hasDigests, digests != 0)
	set(hasDetails, e.Known.Has(detailFacts) && e.More != nil && e.More.Details != nil)
	f := binary.AppendUvarint(p.facts, bits)
	if status {
		if bits&sameOwner == 0 {
			f = binary.AppendUvarint(f, uint64(e.UID))
			f = binary.AppendUvarint(f, uint64(e.GID))
		}
		if bits&sameDevice == 0 {
			f = binary.AppendUvarint(f, e.Device)
		}
		if bits&sameMode == 0 {
			f = binary.AppendUvarint(f, uint64(e.Permissions))
		}
		if bits&oneLink == 0 {
			f = binary.AppendUvarint(f, uint64(e.Links))
		}
		f = binary.AppendVarint(f, int64(e.Inode-b.inode))
		f = binary.AppendVarint(f, e.Size)
		f = binary.AppendVarint(f, e.Disk/512)
		f = appendTime(f, e.Modified, b.modified)
		f = appendTime(f, e.Changed, b.changed)
		if bits&accessedAsMade == 0 {
			f = appendTime(f, e.Accessed, e.Modified)
		}
		*b = neighbourOf(e)
	}
	if bits&hasCreated != 0 {
		f = appendTime(f, e.More.Created, e.Changed)
	}
	if bits&hasTarget != 0 {
		f = appendText(f, e.More.Target)
	}
	if bits&hasDigests != 0 {
		f = binary.AppendUvarint(f, digests.Stored())
		for i := range Algorithms {
			if fact := Algorithms[i].Fact; digests&fact != 0 {
				f = append(f, e.More.Digests.Sum(fact)...)
			}
		}
	}
	if bits&hasDetails != 0 {
		p.details = AppendDetails(p.details[:0], e.More.Details)
		f = appendText(f, p.details)
	}
	p.facts = f
}

func appendText[T string | []byte](dst []byte, text T) []byte {
	return append(binary.AppendUvarint(dst, uint64(len(text))), text...)
}

func appendTime(dst []byte, t, base entry.Time) []byte {
	dst = binary.AppendVarint(dst, t.Sec-base.Sec)
	return binary.AppendUvarint(dst, uint64(t.Nsec))
}

var errPacked = errors.New("packed entries are damaged")

// unpacker reads packed entries. After an error, everything it returns is zero.
type unpacker struct {
	facts  []byte
	before neighbour
	more   *entry.More // room to be used again; nil where what is read is kept
	err    error
}

// Walk reads what a delta says entry by entry, in room that it keeps.
type Walk struct {
	Recorded // the entry at hand, with its name and all, is good until the next is read
	names    []byte
	name     []byte
	more     entry.More
	unpacker unpacker
}

// NewWalk begins before the first entry.
func NewWalk(d Delta) *Walk {
	w := &Walk{names: d.Names}
	w.unpacker.facts, w.unpacker.more = d.Facts, &w.more
	return w
}

// Next reads the next entry, and returns false after the last, or where the delta is
// damaged.
func (w *Walk) Next() bool {
	u := &w.unpacker
	if len(w.names) == 0 || u.err != nil {
		return false
	}
	common, n := u.uvarint(&w.names), u.uvarint(&w.names)
	if common > uint64(len(w.name)) || common+n > LongestName {
		u.err = errPacked
	}
	suffix, kind := u.bytes(&w.names, n), u.bytes(&w.names, 1)
	if u.err != nil {
		return false
	}
	w.name = append(w.name[:common], suffix...)
	if !CanBeName(w.name, suffix) {
		u.err = errName
		return false
	}
	w.Recorded = recordedOf(kind[0])
	w.Entry.Name = unsafe.String(unsafe.SliceData(w.name), len(w.name))
	return w.Gone || u.nextFacts(&w.Entry)
}

// Err returns what was wrong with the delta.
func (w *Walk) Err() error {
	if w.unpacker.err != nil {
		return fmt.Errorf("%w: %w", ErrDamaged, w.unpacker.err)
	}
	return nil
}

// recordedOf returns an entry of which only the kind is known, with the bits beside it.
func recordedOf(kind byte) (r Recorded) {
	if r.Gone = kind == kindGone; r.Gone {
		return r
	}
	r.Entry.Kind, r.Entry.Marks = entry.Kind(kind&kindBits), marksOf(kind)
	r.Entered, r.Unread = kind&isEntered != 0, kind&isUnread != 0
	return r
}

// marksOf returns the marks that the bits beside a kind stand for.
func marksOf(kind byte) (marks entry.Marks) {
	if kind&isFlagged != 0 {
		marks |= entry.MarkFlaggedHidden
	}
	if kind&isUnsized != 0 {
		marks |= entry.MarkUnsized
	}
	return marks
}

// LongestName is more than any system allows a name to be.
const LongestName = 4096

// mostText is how many bytes the names of a delta may be, beside sixteen times what they are packed in:
// they share what they begin with, and whoever makes up a record must not fill the memory of those who
// read it.
const mostText = 64 << 20

var errOrder = errors.New("names out of order")

var errName = errors.New("a name that no file can have")

// CanBeName reports whether a name leads nowhere but to an entry of its folder. What may be no part of a
// name is looked for only in what comes after a part that is looked at.
func CanBeName(name, rest []byte) bool {
	for _, c := range rest {
		if c == '/' || c == 0 {
			return false
		}
	}
	return len(name) > 2 || len(name) > 0 && string(name) != "." && string(name) != ".."
}

// UnpackNames appends the entries whose names are packed, and what is gone. Their
// names share one text, so that millions take few allocations.
func UnpackNames(entries []Recorded, names []byte) ([]Recorded, error) {
	return unpackNames(entries, names, true)
}

// unpackNames unpacks names of files or, of a place itself, any.
func unpackNames(entries []Recorded, names []byte, ofFiles bool) ([]Recorded, error) {
	var u unpacker
	text := make([]byte, 0, 3*len(names)/2)
	first, packed := len(entries), len(names)
	start := 0 // of the last name
	for len(names) > 0 {
		common, n := u.uvarint(&names), u.uvarint(&names)
		if common > uint64(len(text)-start) || common+n > LongestName {
			u.err = errPacked
		}
		suffix, kind := u.bytes(&names, n), u.bytes(&names, 1)
		if rest := text[min(start+int(common), len(text)):]; len(entries) > first && !(len(rest) > 0 && len(suffix) > 0 && rest[0] < suffix[0]) && bytes.Compare(rest, suffix) >= 0 && u.err == nil {
			u.err = errOrder // else a folder could be met twice
		}
		if u.err != nil {
			return nil, fmt.Errorf("%w: %w", ErrDamaged, u.err)
		}
		text = append(text, text[start:start+int(common)]...)
		start = len(text) - int(common)
		text = append(text, suffix...)
		if ofFiles && !CanBeName(text[start:], suffix) || len(text) > mostText+16*packed {
			return nil, fmt.Errorf("%w: %w", ErrDamaged, errName)
		}
		k := recordedOf(kind[0])
		k.ends = len(text)
		entries = append(entries, k)
	}
	all, start := string(text), 0
	for i := range entries[first:] {
		k := &entries[first+i]
		k.Entry.Name = all[start:k.ends]
		start, k.ends = k.ends, 0
	}
	return entries, nil
}

// firstName returns the first of packed names; "" if there is none.
func firstName(names []byte) (string, error) {
	var u unpacker
	if len(names) == 0 {
		return "", nil
	}
	u.uvarint(&names) // nothing comes before it
	name := u.bytes(&names, u.uvarint(&names))
	return string(name), u.err
}

// HasName reports whether a name is among packed names, also as one that is gone.
func HasName(names []byte, name string) (bool, error) {
	var u unpacker
	var last [LongestName]byte // name
	for len(names) > 0 {
		common, n := u.uvarint(&names), u.uvarint(&names)
		if common > LongestName || common+n > LongestName {
			u.err = errPacked
		}
		suffix := u.bytes(&names, n)
		u.bytes(&names, 1) // its kind
		if u.err != nil {
			return false, fmt.Errorf("%w: %w", ErrDamaged, u.err)
		}
		here := last[:common+uint64(copy(last[common:], suffix))]
		if c := bytes.Compare(here, []byte(name)); c >= 0 {
			return c == 0, nil
		}
	}
	return false, nil
}

// UnpackFacts adds the facts to entries whose names are unpacked.
func UnpackFacts(entries []Recorded, facts []byte) error {
	u := unpacker{facts: facts}
	for i := range entries {
		if !entries[i].Gone && !u.nextFacts(&entries[i].Entry) {
			return fmt.Errorf("%w: %w", ErrDamaged, u.err)
		}
	}
	return nil
}

// nextFacts reads the facts of the entry whose name was read. It returns false
// where the packing is damaged.
func (u *unpacker) nextFacts(e *entry.Entry) bool {
	bits := u.uvarint(&u.facts)
	if bits&hasStatus != 0 {
		u.status(e, bits)
	}
	if bits&(hasCreated|hasTarget|hasDigests|hasDetails) != 0 {
		if e.More = u.more; e.More == nil {
			e.More = &entry.More{}
		} else {
			*e.More = entry.More{}
		}
	}
	if bits&hasCreated != 0 {
		e.More.Created = u.time(e.Changed)
		e.Known |= entry.FactCreated
	}
	if bits&hasTarget != 0 {
		e.More.Target = string(u.bytes(&u.facts, u.uvarint(&u.facts)))
		e.Known |= entry.FactTarget
	}
	if bits&hasDigests != 0 {
		which := entry.StoredDigests(u.uvarint(&u.facts))
		for i := range Algorithms {
			if d := &Algorithms[i]; which&d.Fact != 0 {
				e.More.Digests = append(e.More.Digests, entry.Digest{Fact: d.Fact, Sum: string(u.bytes(&u.facts, uint64(d.Digits/2)))})
				e.Known |= d.Fact
			}
		}
	}
	if bits&hasDetails != 0 {
		var err error
		if e.More.Details, err = ParseDetails(u.bytes(&u.facts, u.uvarint(&u.facts))); err != nil {
			u.err = err
		}
		e.Known |= detailFacts
	}
	return u.err == nil
}

func (u *unpacker) status(e *entry.Entry, bits uint64) {
	b := &u.before
	e.Known |= entry.FactStatus
	e.UID, e.GID, e.Device, e.Permissions, e.Links = b.uid, b.gid, b.device, b.permissions, 1
	if bits&sameOwner == 0 {
		e.UID, e.GID = uint32(u.uvarint(&u.facts)), uint32(u.uvarint(&u.facts))
	}
	if bits&sameDevice == 0 {
		e.Device = u.uvarint(&u.facts)
	}
	if bits&sameMode == 0 {
		e.Permissions = entry.Permissions(u.uvarint(&u.facts))
	}
	if bits&oneLink == 0 {
		e.Links = uint32(u.uvarint(&u.facts))
	}
	e.Inode = b.inode + uint64(u.varint())
	e.Size = u.varint()
	e.Disk = u.varint() * 512
	e.Modified = u.time(b.modified)
	e.Changed = u.time(b.changed)
	e.Accessed = e.Modified
	if bits&accessedAsMade == 0 {
		e.Accessed = u.time(e.Modified)
	}
	*b = neighbourOf(e)
}

func (u *unpacker) uvarint(from *[]byte) uint64 {
	n, length := binary.Uvarint(*from)
	if length <= 0 {
		u.err = errPacked
		return 0
	}
	*from = (*from)[length:]
	return n
}

func (u *unpacker) varint() int64 {
	n, length := binary.Varint(u.facts)
	if length <= 0 {
		u.err = errPacked
		return 0
	}
	u.facts = u.facts[length:]
	return n
}

func (u *unpacker) bytes(from *[]byte, n uint64) []byte {
	if u.err != nil || n > uint64(len(*from)) {
		u.err = errPacked
		return nil
	}
	taken := (*from)[:n]
	*from = (*from)[n:]
	return taken
}

func (u *unpacker) time(base entry.Time) entry.Time {
	sec := base.Sec + u.varint()
	return entry.Time{Sec: sec, Nsec: uint32(u.uvarint(&u.facts))}
}
