package encoding

import (
	"encoding/binary"
	"fmt"
	"math"
	"math/bits"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/text"
)

// A summary tells what may be among the entries of a group, which is some versions of
// folders that follow one another in a segment, so that a search can pass over most. It is
// made of the segment alone, and another one of the same segment is the same to the byte.

const (
	// groupEntries is how many entries make a group full.
	groupEntries = 96
	// partEntries is into parts of how many a folder of more than twice as many is packed.
	partEntries = 128
	// PieceBits is how many bits tell of the pieces of a group, at most.
	PieceBits = 4096
)

// Group is the summary of a group.
type Group struct {
	Versions int                      // of folders that it is about
	Pieces   [PieceBits / 64]uint64   // which pieces of names are in it; see PiecesOfName
	Values   []uint64                 // hashes of what else is; see ExtValue
	Bounds   [source.Measures]Between // of what is measured
}

// anyValue stands for all values.
const anyValue = math.MaxUint64

// Between is the least and the greatest of some numbers, as codes; there are none where the
// first is the greater one.
type Between struct{ Least, Greatest uint32 }

// nothing is between these.
var nothing = Between{math.MaxUint32, 0}

// Code makes a number shorter: a greater one never has a smaller code. Bytes keep ten
// bits from their first one on, moments have steps of 1024 seconds.
func Code(of source.Measured, n int64) uint32 {
	if of >= source.Modified {
		const middle = 1 << 31
		return uint32(max(0, min(math.MaxUint32, n>>10+middle)))
	}
	if n <= 0 {
		return 0
	}
	length := bits.Len64(uint64(n))
	if length <= 10 {
		return uint32(n)
	}
	return uint32(length)<<10 | uint32(uint64(n)>>(length-11))&(1<<10-1)
}

// measuredFields are the fields that there are bounds of.
var measuredFields = func() (fields [source.Measures]*entry.Field) {
	for of, name := range [...]string{source.Size: "size", source.Disk: "disk", source.Modified: "modified", source.Changed: "changed", source.Accessed: "accessed", source.Created: "created"} {
		fields[of] = entry.FieldNamed(name)
	}
	return fields
}()

// measure returns what an entry has of something, if that is known.
func measure(of source.Measured, e *entry.Entry) (int64, bool) {
	f := measuredFields[of]
	if f.Type == entry.Moment {
		t, known := f.Moment(e)
		return t.Sec, known
	}
	return f.Number(e, nil)
}

// What pieces and values are of.
const (
	pieceOfThree = iota + 1
	pieceOfFour
	valueExt
	valueKind
	valueUID
	valueGID
)

// textHash is what stands for a whole text (FNV-1a).
func textHash(text []byte) uint64 {
	h := uint64(14695981039346656037)
	for _, c := range text {
		h = (h ^ uint64(c)) * 1099511628211
	}
	return h
}

// spread spreads what something is over all bits (Fibonacci hashing, twice).
func spread(of byte, content uint64) uint64 {
	h := (content ^ uint64(of)<<56) * 0x9e3779b97f4a7c15
	return (h ^ h>>29) * 0x9e3779b97f4a7c15
}

// Places are the bits that stand for a piece: one for pieces of three letters, which are
// also in those of four, and two for those, of which most texts have several.
type Places struct {
	bits  [2]uint16
	count int
}

// Bits returns them.
func (p *Places) Bits() []uint16 { return p.bits[:p.count] }

func placesOf(of byte, content uint64) (p Places) {
	h := spread(of, content)
	p.bits[0], p.bits[1], p.count = uint16(h>>52), uint16(h>>40%PieceBits), 2
	if of == pieceOfThree {
		p.count = 1
	}
	return p
}

// PiecesOfName returns the pieces that a text needs which is in a name, as text.Fold
// and text.Plain have it, with source.NameEdge for where the name begins or ends.
func PiecesOfName(text []byte) (places []Places) {
	if len(text) == 3 {
		return []Places{threePlaces(text, 0)}
	}
	for i := 0; i+4 <= len(text); i++ {
		places = append(places, fourPlaces(text, i))
	}
	return places
}

func threePlaces(text []byte, i int) Places {
	return placesOf(pieceOfThree, uint64(text[i])|uint64(text[i+1])<<8|uint64(text[i+2])<<16)
}

func fourPlaces(text []byte, i int) Places {
	return placesOf(pieceOfFour, uint64(binary.LittleEndian.Uint32(text[i:])))
}

// FoldExt returns an extension as source.NeedExt has it.
func FoldExt(ext string) string {
	return string(text.Plain(text.Fold([]byte(strings.ToLower(ext)), false)))
}

// ExtValue and the others return what stands for something that entries have besides names.
func ExtValue(ext string) uint64    { return spread(valueExt, textHash([]byte(ext))) }
func KindValue(k entry.Kind) uint64 { return spread(valueKind, uint64(k)) }
func UIDValue(id uint32) uint64     { return spread(valueUID, uint64(id)) }
func GIDValue(id uint32) uint64     { return spread(valueGID, uint64(id)) }

func (g *Group) put(p Places) {
	for _, bit := range p.Bits() {
		g.Pieces[bit/64] |= 1 << (bit % 64)
	}
}

func (g *Group) has(value uint64) {
	if !slices.Contains(g.Values, value) { // there are few
		g.Values = append(g.Values, value)
	}
}

// summariser makes summaries.
type summariser struct {
	// What the last entry of the group has. Its neighbours have much of that too, which need
	// not be put twice.
	name, before []byte
	ext          string
	kind         entry.Kind
	uid, gid     uint32
	owned, any   bool
}

// begin begins another group.
func (s *summariser) begin() {
	s.before, s.ext, s.kind, s.owned, s.any = s.before[:0], "", 0, false, false
}

func (s *summariser) add(g *Group, e *entry.Entry) {
	s.name = text.Fold(append(append(s.name[:0], source.NameEdge), e.Name...), false)
	s.name = append(text.Plain(s.name), source.NameEdge)
	same := 0
	for same < len(s.name) && same < len(s.before) && s.name[same] == s.before[same] {
		same++
	}
	for i := max(0, same-3); i+3 <= len(s.name); i++ {
		g.put(threePlaces(s.name, i))
		if i+4 <= len(s.name) {
			g.put(fourPlaces(s.name, i))
		}
	}
	s.name, s.before = s.before, s.name
	if _, ext := entry.SplitName(e.Name); ext != "" && ext != s.ext {
		g.has(ExtValue(FoldExt(ext)))
		s.ext = strings.Clone(ext)
	}
	if e.Kind != s.kind || !s.any {
		g.has(KindValue(e.Kind))
		s.kind, s.any = e.Kind, true
	}
	if e.Known.Has(entry.FactStatus) && (!s.owned || e.UID != s.uid || e.GID != s.gid) {
		g.has(UIDValue(e.UID))
		g.has(GIDValue(e.GID))
		s.uid, s.gid, s.owned = e.UID, e.GID, true
	}
	for of := range source.Measured(source.Measures) {
		if n, known := measure(of, e); known {
			code, b := Code(of, n), &g.Bounds[of]
			b.Least, b.Greatest = min(b.Least, code), max(b.Greatest, code)
		}
	}
}

// AnyGroup is a group that may have anything, of all the versions of a segment.
func AnyGroup() Group {
	g := Group{Versions: math.MaxInt32, Values: []uint64{anyValue}}
	for i := range g.Pieces {
		g.Pieces[i] = math.MaxUint64
	}
	for of := range g.Bounds {
		g.Bounds[of] = Between{0, math.MaxUint32}
	}
	return g
}

// Summarise returns the groups of a segment.
func Summarise(segment Segment) (groups []Group, err error) {
	var s summariser
	var g *Group
	var entries int
	names, facts := segment.Names, segment.Facts
	wrong := false
	err = EachFolder(segment.Folders, func(v *FolderVersion) {
		if v.Names > uint64(len(names)) || v.Facts > uint64(len(facts)) {
			wrong = true
		}
		if wrong {
			return
		}
		if g == nil || entries >= groupEntries {
			groups, entries = append(groups, Group{}), 0
			g = &groups[len(groups)-1]
			s.begin()
			for of := range g.Bounds {
				g.Bounds[of] = nothing
			}
		}
		g.Versions++
		if !v.HasDelta {
			return
		}
		d := Delta{names[:v.Names], facts[:v.Facts]}
		names, facts = names[v.Names:], facts[v.Facts:]
		w := NewWalk(d)
		for ; w.Next(); entries++ {
			if !w.Gone {
				s.add(g, &w.Entry)
			}
		}
		wrong = w.Err() != nil
	})
	if err == nil && wrong {
		err = fmt.Errorf("%w: a segment is not what its folders say", ErrDamaged)
	}
	return groups, err
}

// split makes several deltas of one of very many entries, which have their entries in
// order.
func split(d Delta) ([]Delta, error) {
	if count, err := countNames(d.Names); err != nil || count <= 2*partEntries {
		return []Delta{d}, err
	}
	var parts []Delta
	var p Packer
	w := NewWalk(d)
	for n := 1; w.Next(); n++ {
		w.Pack(&p)
		if n%partEntries == 0 || len(w.names) == 0 {
			parts = append(parts, p.Delta().Clone())
			p.Reset()
		}
	}
	return parts, w.Err()
}

// countNames returns how many entries packed names are of.
func countNames(names []byte) (count int, err error) {
	var u unpacker
	for len(names) > 0 && u.err == nil {
		u.uvarint(&names)
		u.bytes(&names, u.uvarint(&names))
		u.bytes(&names, 1)
		count++
	}
	if u.err != nil {
		return 0, fmt.Errorf("%w: %w", ErrDamaged, u.err)
	}
	return count, nil
}
