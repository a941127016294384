package encoding

import (
	"cmp"
	"encoding/binary"
	"fmt"
	"math/bits"
	"slices"

	"frankledger/core/source"
)

// A Band is the summaries of many segments of one record, turned: for each bit of the
// pieces, which groups have it; and for each measure, the bounds of all groups. So what is
// asked for is read of all groups together, and nothing else is. It is made of parts, each
// read by itself:
//
//	0 to 5        the bounds of source.Measured: two integers of four bytes, the least first, a group
//	6             which folders that were met before have a delta: how much more the number
//	              of each is than that of the one before, and in which of the segments that is
//	8 to 15       values, by their lowest three bits: for each that some group has eight bytes,
//	              the lowest first, how many groups have it, and how much more the number of
//	              each of these is than that of the one before
//	16 and above  bits: for each a bit a group, the lowest of a byte first; as many bits in
//	              a part as fill it
type Band struct {
	Bits     int // that tell of pieces: a power of two
	Segments []SegmentGroups
	groups   int
}

// SegmentGroups are the groups of a segment.
type SegmentGroups struct {
	Segment  int64  // the segment
	Fresh    uint64 // the first folder in it that was never met before; 0 for none
	Versions []int  // of folders, by group
	// Again are the folders in it that have a delta, and were met before. They are not
	// packed with the rest.
	Again []uint64
}

// Again is a folder that has a delta in a segment, and was met before.
type Again struct {
	Folder  uint64
	Segment int64
}

const (
	// FullBand is how many groups make a band full.
	FullBand  = 16000
	fullPart  = FullBand / 8
	firstBits = 16
	// firstValues and valueParts are the parts with the values.
	firstValues, valueParts = 8, 8
	// AgainPart is the part with the folders that were met before.
	AgainPart = source.Measures
	// PartsOfBand is more than any band has.
	PartsOfBand = firstBits + PieceBits
)

// Groups returns how many groups there are.
func (b *Band) Groups() int { return b.groups }

// each is how many bytes a bit takes of all groups.
func (b *Band) each() int { return (b.groups + 7) / 8 }

// perPart is of how many bits a part tells.
func (b *Band) perPart() int { return max(1, fullPart/max(1, b.each())) }

// PartOf returns the part that says which groups have a bit, and where in it.
func (b *Band) PartOf(bit uint16) (part, from, to int) {
	at := int(bit) % b.Bits
	from = at % b.perPart() * b.each()
	return firstBits + at/b.perPart(), from, from + b.each()
}

// folded is how full bits may be that are laid over one another.
const folded = 0.2

// MakeBand makes a band of summaries, and calls a function for each part of it.
func MakeBand(segments []SegmentGroups, groups []Group, write func(part int, content []byte) error) (*Band, error) {
	b := &Band{Bits: PieceBits, Segments: segments, groups: len(groups)}
	set := 0
	for i := range groups {
		for _, word := range groups[i].Pieces {
			set += bits.OnesCount64(word)
		}
	}
	for full := float64(set) / float64(len(groups)*PieceBits); full < folded && b.Bits > 64; full *= 2 {
		b.Bits /= 2
	}
	for of := range source.Measures {
		content := make([]byte, 0, 8*len(groups))
		for i := range groups {
			bounds := groups[i].Bounds[of]
			content = binary.LittleEndian.AppendUint32(content, bounds.Least)
			content = binary.LittleEndian.AppendUint32(content, bounds.Greatest)
		}
		if err := write(of, content); err != nil {
			return nil, err
		}
	}
	if err := write(AgainPart, packAgain(segments)); err != nil {
		return nil, err
	}
	if err := writeValues(groups, write); err != nil {
		return nil, err
	}
	all := b.turn(groups)
	for part, length := firstBits, b.perPart()*b.each(); len(all) > 0; part++ {
		n := min(length, len(all))
		if err := write(part, all[:n]); err != nil {
			return nil, err
		}
		all = all[n:]
	}
	return b, nil
}

// Pack packs what a band has besides its parts.
func (b *Band) Pack() []byte {
	dst := binary.AppendUvarint(nil, uint64(b.Bits))
	last := int64(0)
	for _, s := range b.Segments {
		dst = binary.AppendVarint(dst, s.Segment-last)
		last = s.Segment
		dst = binary.AppendUvarint(dst, s.Fresh)
		dst = binary.AppendUvarint(dst, uint64(len(s.Versions)))
		for _, n := range s.Versions {
			dst = binary.AppendUvarint(dst, uint64(n))
		}
	}
	return dst
}

// UnpackBand reads what Pack returns.
func UnpackBand(packed []byte) (*Band, error) {
	var u unpacker
	b := &Band{Bits: int(min(u.uvarint(&packed), PieceBits))}
	last := int64(0)
	for u.err == nil && len(packed) > 0 {
		n, length := binary.Varint(packed)
		if length <= 0 {
			u.err = errPacked
			break
		}
		packed, last = packed[length:], last+n
		s := SegmentGroups{Segment: last, Fresh: u.uvarint(&packed)}
		count := u.uvarint(&packed)
		if count > uint64(len(packed)) {
			u.err = errPacked
			break
		}
		s.Versions = make([]int, count)
		for i := range s.Versions {
			if n := u.uvarint(&packed); n <= LongestPart {
				s.Versions[i] = int(n)
			} else {
				u.err = errPacked
			}
		}
		b.Segments = append(b.Segments, s)
		b.groups += len(s.Versions)
	}
	if u.err == nil && (b.Bits < 64 || b.Bits&(b.Bits-1) != 0) {
		u.err = errPacked
	}
	if u.err != nil {
		return nil, fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return b, nil
}

// PartOfValue returns the part that tells which groups have a value.
func PartOfValue(value uint64) int { return firstValues + int(value%valueParts) }

func writeValues(groups []Group, write func(part int, content []byte) error) error {
	type has struct {
		value uint64
		group int
	}
	var parts [valueParts][]has
	for i := range groups {
		for _, value := range groups[i].Values {
			for part := range parts {
				if value == anyValue || part == int(value%valueParts) {
					parts[part] = append(parts[part], has{value, i})
				}
			}
		}
	}
	for part, list := range parts {
		slices.SortFunc(list, func(a, b has) int { return cmp.Or(cmp.Compare(a.value, b.value), cmp.Compare(a.group, b.group)) })
		var dst []byte
		for len(list) > 0 {
			count := 0
			for count < len(list) && list[count].value == list[0].value {
				count++
			}
			dst = binary.LittleEndian.AppendUint64(dst, list[0].value)
			dst = binary.AppendUvarint(dst, uint64(count))
			last := 0
			for _, one := range list[:count] {
				dst = binary.AppendUvarint(dst, uint64(one.group-last))
				last = one.group
			}
			list = list[count:]
		}
		if err := write(firstValues+part, dst); err != nil {
			return err
		}
	}
	return nil
}

// WithValue returns which groups have a value, a bit a group, by the part that tells that.
func (b *Band) WithValue(part []byte, value uint64) ([]uint64, error) {
	set := make([]uint64, (b.groups+63)/64)
	var u unpacker
	for len(part) > 0 && u.err == nil {
		head := u.bytes(&part, 8)
		if u.err != nil {
			break
		}
		is := binary.LittleEndian.Uint64(head)
		at := uint64(0)
		for range u.uvarint(&part) {
			if at += u.uvarint(&part); u.err != nil || at >= uint64(b.groups) {
				u.err = errPacked
				break
			}
			if is == value || is == anyValue {
				set[at/64] |= 1 << (at % 64)
			}
		}
	}
	if u.err != nil {
		return nil, fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return set, nil
}

// turn returns which groups have each bit.
func (b *Band) turn(groups []Group) []byte {
	all := make([]byte, b.Bits*b.each())
	var square [64]uint64
	for first := 0; first < len(groups); first += 64 {
		few := groups[first:min(first+64, len(groups))]
		for w := range b.Bits / 64 {
			clear(square[:])
			for i := range few {
				for from := w; from < PieceBits/64; from += b.Bits / 64 { // laid over one another
					square[i] |= few[i].Pieces[from]
				}
			}
			transpose(&square)
			for bit, column := range square {
				at := (w*64+bit)*b.each() + first/8
				var word [8]byte
				binary.LittleEndian.PutUint64(word[:], column)
				copy(all[at:at+(len(few)+7)/8], word[:])
			}
		}
	}
	return all
}

// transpose turns a square of bits: bit i of row j becomes bit j of row i (Hacker's
// Delight, 7-3).
func transpose(square *[64]uint64) {
	mask := uint64(0x00000000ffffffff)
	for width := 32; width > 0; width, mask = width/2, mask^mask<<(width/2) {
		for i := 0; i < 64; i = (i + width + 1) &^ width {
			moved := (square[i]>>width ^ square[i+width]) & mask
			square[i] ^= moved << width
			square[i+width] ^= moved
		}
	}
}

func packAgain(segments []SegmentGroups) (dst []byte) {
	type at struct {
		folder  uint64
		segment int
	}
	var all []at
	for i := range segments {
		for _, folder := range segments[i].Again {
			all = append(all, at{folder, i})
		}
	}
	slices.SortFunc(all, func(a, b at) int { return cmp.Or(cmp.Compare(a.folder, b.folder), cmp.Compare(a.segment, b.segment)) })
	last := uint64(0)
	for _, one := range all {
		dst = binary.AppendUvarint(dst, one.folder-last)
		dst = binary.AppendUvarint(dst, uint64(one.segment))
		last = one.folder
	}
	return dst
}

// UnpackAgain reads the part with the folders that were met before, in order of these.
func (b *Band) UnpackAgain(packed []byte) (list []Again, err error) {
	var u unpacker
	last := uint64(0)
	for len(packed) > 0 && u.err == nil {
		last += u.uvarint(&packed)
		segment := u.uvarint(&packed)
		if segment >= uint64(len(b.Segments)) {
			u.err = errPacked
			break
		}
		list = append(list, Again{last, b.Segments[segment].Segment})
	}
	if u.err != nil {
		return nil, fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return list, nil
}

// Met sets which folders a segment has that were never met before, and which of those that
// were have a delta.
func (s *SegmentGroups) Met(segment Segment) error {
	return EachFolder(segment.Folders, func(v *FolderVersion) {
		switch {
		case v.Fresh && s.Fresh == 0:
			s.Fresh = v.Number
		case !v.Fresh && v.HasDelta:
			s.Again = append(s.Again, v.Number)
		}
	})
}
