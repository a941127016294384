package replay

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math/bits"
	"slices"
	"sort"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/internal/tuning"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
	"frankledger/core/text"
)

// A search that few entries meet reads the summaries of the segments, and then only the
// groups that may have some. Of a folder it reads what is in these, and the deltas that
// came after, which may say otherwise; and to tell the path of the folder, the same of
// those above it.

const (
	// mostNarrowed is how many entries are kept at most before any is given.
	mostNarrowed = 100_000
	// mostLoaded is how many parts of segments are kept.
	mostLoaded = 64
)

// narrow gives the entries that the condition chooses without reading everything. It
// returns false, and has given nothing, if that cannot be done, or is not worth it; also
// where something is damaged, as reading everything need not meet that.
func (r *reading) narrow(place *entry.Folder, n *narrowing) (done bool, err error) {
	if n == nil {
		return false, nil
	}
	done, err = r.tryNarrow(place, n)
	if !done && errors.Is(err, ledger.ErrDamaged) {
		err = nil
	}
	return done, err
}

// narrowed finds out which groups have to be read; it is nil if all is to be. That something is damaged
// is found out by reading all.
func (s *Source) narrowed(ctx context.Context, request source.Request, first *store.First) (*narrowing, error) {
	n, err := s.tryNarrowed(ctx, request, first)
	if errors.Is(err, ledger.ErrDamaged) {
		return nil, nil
	}
	return n, err
}

func (s *Source) tryNarrowed(ctx context.Context, request source.Request, first *store.First) (*narrowing, error) {
	condition, needing := request.Condition.(source.Needing)
	counted := request.Hidden == source.ShowHidden || request.Hidden == source.OmitHidden && s.record.Counted
	if !needing || !counted || s.state != nil || s.alone != nil || request.Depth != source.AllDepths || request.Skip != nil {
		return nil, nil
	}
	need := s.certain(condition.Need())
	if need == nil || condition.Needs()&entry.FactInside != 0 { // which is not kept, but found out
		return nil, nil
	}
	bands, err := s.bands(ctx, first)
	if err != nil || len(bands) == 0 {
		return nil, err
	}
	n := &narrowing{from: s.ledger.Store, need: need, bands: bands, segments: map[int64]*segment{}}
	for i := range bands {
		n.all += bands[i].Groups()
	}
	if n.all < tuning.WorthNarrowing { // whatever the summaries say
		return nil, nil
	}
	if n.chosen, n.some, err = n.choose(ctx); err != nil || len(n.chosen) == 0 || n.some*tuning.WorthNarrowing > n.all {
		return nil, err
	}
	return n, nil
}

// bands returns the summaries of what has to be read of the place.
func (s *Source) bands(ctx context.Context, first *store.First) ([]store.BandRow, error) {
	if first != nil {
		return first.Bands, nil
	}
	of, err := rangeTo(ctx, s.ledger.Store, s.record.PlaceNumber, s.record.Number)
	if err != nil {
		return nil, err
	}
	return s.ledger.Store.Bands(ctx, of)
}

// certain is what is needed as far as it is known of all entries of the record: what it does not
// know of an entry may be what is needed. When a thing was made is not kept by all disks.
func (s *Source) certain(need source.Need) source.Need {
	switch need := need.(type) {
	case source.AllNeeds:
		var all source.AllNeeds
		for _, part := range need {
			if part = s.certain(part); part != nil {
				all = append(all, part)
			}
		}
		if len(all) > 0 {
			return all
		}
		return nil
	case source.AnyNeed:
		some := source.AnyNeed{}
		for _, part := range need {
			if part = s.certain(part); part == nil {
				return nil
			}
			some = append(some, part)
		}
		return some
	case source.NeedNumber:
		if need.Of == source.Created || s.record.Unsized > 0 || s.record.Problems > 0 {
			return nil
		}
	case source.NeedUID, source.NeedGID:
		if s.record.Problems > 0 {
			return nil
		}
	}
	return need
}

func (r *reading) tryNarrow(place *entry.Folder, n *narrowing) (done bool, err error) {
	s, request := r.source, r.request
	condition := request.Condition
	n.reader, n.rels = &reader{reading: r}, map[uint64]*rel{encoding.Root: {place, true}}
	n.visit, n.test = r.sink.Visitor(), condition.Test()
	n.index()
	for i := range n.bands {
		if err := n.band(&n.bands[i], n.chosen[i]); err != nil {
			return false, err
		}
		if n.kept > mostNarrowed {
			return false, nil
		}
	}
	r.report.Folders += n.report.Folders
	r.report.Groups, r.report.GroupsRead = int64(n.all), int64(n.some)
	r.report.Tested += s.record.Entries
	if request.Hidden == source.OmitHidden {
		r.report.Tested += s.record.Looked - s.record.Entries
		r.report.Hidden += s.record.Hidden
	}
	for _, found := range n.found {
		n.verdicts = n.verdicts[:0]
		for range found {
			n.verdicts = append(n.verdicts, source.Yes)
		}
		if err := n.give(found); err != nil {
			return true, err
		}
	}
	return true, nil
}

// narrowing is one search by summaries.
type narrowing struct {
	*reader
	from     store.Reader
	need     source.Need
	bands    []store.BandRow
	chosen   [][]uint64 // groups of each
	all      int        // groups
	some     int        // of these that are chosen
	segments map[int64]*segment
	loaded   []*segment            // those that have parts, the oldest first
	fresh    []freshSegment        // in order of folders
	again    map[uint64][]againIn  // by folder, in order of records; nil until it is needed
	rels     map[uint64]*rel       // to folders
	names    []byte                // room for a name
	found    [][]encoding.Recorded // of a folder each
	kept     int                   // of these
}

// freshSegment is a segment with folders that were never met before, from this one on.
type freshSegment struct {
	folder  uint64
	segment int64
	record  int64
}

type againIn struct{ segment, record int64 }

// rel is the path of a folder, if it is there at the record.
type rel struct {
	folder *entry.Folder
	there  bool
}

// segment is what a segment has of folders.
type segment struct {
	versions    []version
	parts       [2][]byte
	read        [2]bool
	number, rec int64
}

// version is what a segment has of a folder, and where its delta is in the parts.
type version struct {
	encoding.FolderVersion
	at [2][2]uint64
}

// choose returns which groups of each band may have what is needed, and how many these are.
func (n *narrowing) choose(ctx context.Context) (chosen [][]uint64, some int, err error) {
	for i := range n.bands {
		b := &n.bands[i]
		set, err := n.groups(ctx, b, n.need)
		if err != nil || set == nil {
			return nil, 0, err
		}
		for _, word := range set {
			some += bits.OnesCount64(word)
		}
		chosen = append(chosen, set)
	}
	return chosen, some, nil
}

// groups returns which groups of a band may have what is needed; nil for all.
func (n *narrowing) groups(ctx context.Context, b *store.BandRow, need source.Need) (set []uint64, err error) {
	switch need := need.(type) {
	case source.AllNeeds:
		for _, part := range need {
			some, err := n.groups(ctx, b, part)
			switch {
			case err != nil:
				return nil, err
			case set == nil:
				set = some
			case some != nil:
				for i := range set {
					set[i] &= some[i]
				}
			}
			if isNone(set) {
				break
			}
		}
		return set, nil
	case source.AnyNeed:
		set = make([]uint64, (b.Groups()+63)/64)
		for _, part := range need {
			some, err := n.groups(ctx, b, part)
			if err != nil || some == nil {
				return nil, err
			}
			for i := range set {
				set[i] |= some[i]
			}
		}
		return set, nil
	case source.NeedPiece:
		return n.withAll(ctx, b, encoding.PiecesOfName([]byte(need)))
	case source.NeedExt:
		return n.withValue(ctx, b, encoding.ExtValue(string(need)))
	case source.NeedKind:
		return n.withValue(ctx, b, encoding.KindValue(entry.Kind(need)))
	case source.NeedUID:
		return n.withValue(ctx, b, encoding.UIDValue(uint32(need)))
	case source.NeedGID:
		return n.withValue(ctx, b, encoding.GIDValue(uint32(need)))
	case source.NeedNumber:
		return n.between(ctx, b, need)
	}
	return nil, nil
}

// withAll returns which groups have all of some pieces.
func (n *narrowing) withAll(ctx context.Context, b *store.BandRow, pieces []encoding.Places) (set []uint64, err error) {
	if len(pieces) == 0 {
		return nil, nil
	}
	for _, p := range pieces {
		for _, bit := range p.Bits() {
			part, from, to := b.PartOf(bit)
			content, err := n.from.BandPart(ctx, b.Number, part)
			if err != nil {
				return nil, err
			}
			if to > len(content) {
				return nil, fmt.Errorf("%w: a part of a band is too short", ledger.ErrDamaged)
			}
			if set == nil {
				set = slices.Repeat([]uint64{^uint64(0)}, (b.Groups()+63)/64)
			}
			var word [8]byte
			for i := range set {
				clear(word[:])
				copy(word[:], content[min(to, from+8*i):to])
				set[i] &= binary.LittleEndian.Uint64(word[:])
			}
			if isNone(set) { // whatever the others say
				return set, nil
			}
		}
	}
	return set, nil
}

// isNone reports whether a set is known, and has nothing in it.
func isNone(set []uint64) bool {
	return set != nil && !slices.ContainsFunc(set, func(word uint64) bool { return word != 0 })
}

// withValue returns which groups have a value.
func (n *narrowing) withValue(ctx context.Context, b *store.BandRow, value uint64) ([]uint64, error) {
	content, err := n.from.BandPart(ctx, b.Number, encoding.PartOfValue(value))
	if err != nil {
		return nil, err
	}
	return b.WithValue(content, value)
}

// between returns which groups may have a number between two.
func (n *narrowing) between(ctx context.Context, b *store.BandRow, need source.NeedNumber) ([]uint64, error) {
	content, err := n.from.BandPart(ctx, b.Number, int(need.Of))
	if err != nil {
		return nil, err
	}
	if len(content) < 8*b.Groups() {
		return nil, fmt.Errorf("%w: a part of a band is too short", ledger.ErrDamaged)
	}
	least, greatest := encoding.Code(need.Of, need.Least), encoding.Code(need.Of, need.Greatest)
	set := make([]uint64, (b.Groups()+63)/64)
	for i := range b.Groups() {
		from, to := binary.LittleEndian.Uint32(content[8*i:]), binary.LittleEndian.Uint32(content[8*i+4:])
		if from <= to && from <= greatest && to >= least {
			set[i/64] |= 1 << (i % 64)
		}
	}
	return set, nil
}

// index finds out in which segment each folder was met first.
func (n *narrowing) index() {
	for i := range n.bands {
		for _, s := range n.bands[i].Segments {
			if s.Fresh > 0 {
				n.fresh = append(n.fresh, freshSegment{s.Fresh, s.Segment, n.bands[i].Record})
			}
		}
	}
	slices.SortStableFunc(n.fresh, func(a, b freshSegment) int { return int(int64(a.folder) - int64(b.folder)) })
}

// segment returns what a segment has of folders.
func (n *narrowing) segment(number, record int64) (*segment, error) {
	if s := n.segments[number]; s != nil {
		return s, nil
	}
	folders, err := n.from.Part(n.ctx, number, store.Folders)
	if err != nil {
		return nil, err
	}
	s := &segment{number: number, rec: record}
	var names, facts uint64
	err = encoding.EachFolder(folders, func(v *encoding.FolderVersion) {
		s.versions = append(s.versions, version{*v, [2][2]uint64{{names, names + v.Names}, {facts, facts + v.Facts}}})
		names, facts = names+v.Names, facts+v.Facts
	})
	if err != nil {
		return nil, err
	}
	n.segments[number] = s
	return s, nil
}

// part returns the names or the facts of a version.
func (n *narrowing) part(s *segment, v *version, which store.Part) (content []byte, err error) {
	if !s.read[which] {
		if s.parts[which], err = n.from.Part(n.ctx, s.number, which); err != nil {
			return nil, err
		}
		s.read[which] = true
		if n.loaded = append(n.loaded, s); len(n.loaded) > mostLoaded {
			if old := n.loaded[0]; old != s {
				old.parts, old.read = [2][]byte{}, [2]bool{}
			}
			n.loaded = n.loaded[1:]
		}
	}
	between := v.at[which]
	if between[0] > between[1] || between[1] > uint64(len(s.parts[which])) {
		return nil, fmt.Errorf("%w: a segment is too short", ledger.ErrDamaged)
	}
	return s.parts[which][between[0]:between[1]], nil
}

// band looks at the groups of a band that are chosen.
func (n *narrowing) band(b *store.BandRow, chosen []uint64) error {
	group := 0
	for _, at := range b.Segments {
		first := 0 // version of the group
		var s *segment
		for _, versions := range at.Versions {
			if chosen[group/64]&(1<<(group%64)) != 0 {
				var err error
				if s, err = n.segment(at.Segment, b.Record); err != nil {
					return err
				}
				for i := first; i < min(first+versions, len(s.versions)); i++ {
					if err := n.version(s, &s.versions[i]); err != nil {
						return err
					}
				}
			}
			first += versions
			group++
		}
		if err := n.ctx.Err(); err != nil || n.kept > mostNarrowed {
			return err
		}
	}
	return nil
}

// version looks at what a version says of the entries in its folder.
func (n *narrowing) version(s *segment, v *version) error {
	if !v.HasDelta {
		return nil
	}
	names, err := n.part(s, v, store.Names)
	if err != nil {
		return err
	}
	if n.room, err = encoding.UnpackNames(n.room[:0], names); err != nil {
		return err
	}
	may := func(known bool) bool {
		return slices.ContainsFunc(n.room, func(k encoding.Recorded) bool { return !k.Gone && n.meets(n.need, &k.Entry, known) })
	}
	if !may(false) {
		return nil
	}
	facts, err := n.part(s, v, store.Facts)
	if err != nil {
		return err
	}
	if err := encoding.UnpackFacts(n.room, facts); err != nil {
		return err
	}
	if !may(true) {
		return nil
	}
	w, err := n.rel(v.Number)
	if err != nil || !w.there {
		return err
	}
	n.report.Folders++
	var found []encoding.Recorded
	for i := range n.room {
		k := &n.room[i]
		e := &k.Entry
		if k.Gone || !n.meets(n.need, e, true) || n.request.Hidden.Treat(e.Hidden()) != source.Given {
			continue
		}
		e.Folder = w.folder
		verdict := n.test(e, 0)
		if verdict == source.Open {
			verdict = n.test(e, ^entry.Facts(0))
		}
		if verdict != source.Yes {
			continue
		}
		last, err := n.last(v.Number, e.Name, s.rec+1)
		if err != nil {
			return err
		}
		if last != nil { // a later record has the say
			continue
		}
		if e.Kind == entry.KindFolder && (k.Unread || k.Entered) {
			if e.Inside = entry.NewFolder(w.folder, strings.Clone(e.Name)); k.Unread {
				e.Inside.MarkUnread()
			}
		}
		found = append(found, *k)
	}
	if len(found) > 0 {
		n.found = append(n.found, found)
		n.kept += len(found)
	}
	return nil
}

// meets reports whether an entry may have what is needed, by its name and kind and, if they
// are known, its facts.
func (n *narrowing) meets(need source.Need, e *entry.Entry, known bool) bool {
	switch need := need.(type) {
	case source.AllNeeds:
		return !slices.ContainsFunc(need, func(part source.Need) bool { return !n.meets(part, e, known) })
	case source.AnyNeed:
		return slices.ContainsFunc(need, func(part source.Need) bool { return n.meets(part, e, known) })
	case source.NeedPiece:
		n.names = text.Fold(append(append(n.names[:0], source.NameEdge), e.Name...), false)
		return bytes.Contains(append(text.Plain(n.names), source.NameEdge), []byte(need))
	case source.NeedExt:
		_, ext := entry.SplitName(e.Name)
		return encoding.FoldExt(ext) == string(need)
	case source.NeedKind:
		return e.Kind == entry.Kind(need)
	case source.NeedUID:
		return !known || e.UID == uint32(need)
	case source.NeedGID:
		return !known || e.GID == uint32(need)
	}
	return true
}

// rel returns the path of a folder.
func (n *narrowing) rel(number uint64) (*rel, error) {
	if w := n.rels[number]; w != nil {
		return w, nil
	}
	w := &rel{}
	n.rels[number] = w // should it lie in itself, it is not there
	s, v, err := n.first(number)
	if err != nil {
		return nil, err
	}
	above, err := n.rel(v.Parent)
	if err != nil || !above.there || n.request.Hidden.Treat(entry.HiddenName(v.Name)) != source.Given {
		return w, err
	}
	last, err := n.last(v.Parent, v.Name, s.rec)
	if err != nil || last == nil || last.Gone || !last.Entered {
		return w, err
	}
	*w = rel{entry.NewFolder(above.folder, v.Name), true}
	return w, nil
}

// first returns the segment in which a folder was met first, and what that says of it.
func (n *narrowing) first(number uint64) (*segment, *version, error) {
	at := sort.Search(len(n.fresh), func(i int) bool { return n.fresh[i].folder > number }) - 1
	if at < 0 {
		return nil, nil, fmt.Errorf("%w: a folder is not there", ledger.ErrDamaged)
	}
	s, err := n.segment(n.fresh[at].segment, n.fresh[at].record)
	if err != nil {
		return nil, nil, err
	}
	for i := range s.versions {
		if v := &s.versions[i]; v.Number == number && v.Fresh {
			return s, v, nil
		}
	}
	return nil, nil, fmt.Errorf("%w: a folder is not there", ledger.ErrDamaged)
}

// last returns what the last record, of those from one on, says of a name in a folder; nil
// if none says anything.
func (n *narrowing) last(folder uint64, name string, from int64) (found *encoding.Recorded, err error) {
	if n.again == nil {
		if err := n.metAgain(); err != nil {
			return nil, err
		}
	}
	places := n.again[folder]
	if len(places) == 0 && from > n.source.record.Number {
		return nil, nil
	}
	for i := len(places) - 1; i >= 0 && places[i].record >= from; i-- {
		s, err := n.segment(places[i].segment, places[i].record)
		if err == nil {
			found, err = n.says(s, folder, name)
		}
		if found != nil || err != nil {
			return found, err
		}
	}
	s, _, err := n.first(folder)
	if err != nil || s.rec < from {
		return nil, err
	}
	return n.says(s, folder, name)
}

// says returns what a segment says of a name in a folder; nil if nothing.
func (n *narrowing) says(s *segment, folder uint64, name string) (*encoding.Recorded, error) {
	for i := range s.versions {
		v := &s.versions[i]
		if v.Number != folder || !v.HasDelta {
			continue
		}
		names, err := n.part(s, v, store.Names)
		if err != nil {
			return nil, err
		}
		list, err := encoding.UnpackNames(nil, names)
		if err != nil {
			return nil, err
		}
		if at, there := encoding.Find(list, name); there {
			return &list[at], nil
		}
	}
	return nil, nil
}

// metAgain reads where deltas are of folders that were met before.
func (n *narrowing) metAgain() error {
	n.again = map[uint64][]againIn{}
	for i := range n.bands {
		b := &n.bands[i]
		packed, err := n.from.BandPart(n.ctx, b.Number, encoding.AgainPart)
		if err != nil {
			return err
		}
		list, err := b.UnpackAgain(packed)
		if err != nil {
			return err
		}
		for _, a := range list {
			n.again[a.Folder] = append(n.again[a.Folder], againIn{a.Segment, b.Record})
		}
	}
	return nil
}
