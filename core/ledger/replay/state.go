package replay

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// State is what a ledger has of a place up to a record: its folders, and where
// their deltas are. Names and facts are read as they are needed. It may be used
// by several goroutines.
type State struct {
	upTo     int64 // the record
	segments []*openSegment
	folders  []folderState // by number
	ids      map[folderKey]uint64
	// joined has what folders held, where that was found out of many deltas and the state
	// goes from record to record: nil where it does not.
	joined map[uint64]joined
	// named has what folders held by one name, likewise.
	named map[folderKey]named
}

// joined is what a folder held at a record, after its first so many deltas, in parts that follow one another.
type joined struct {
	record int64
	deltas int
	parts  []encoding.Delta
}

// named is what a folder held by one name at a record, after its first so many deltas; nil for nothing.
type named struct {
	record int64
	deltas int
	found  *encoding.Recorded
}

// worthJoining is of how many deltas.
const worthJoining = 8

// folderState is what is known of a folder.
type folderState struct {
	encoding.FolderVersion       // the newest
	record                 int64 // that it is of
	met                    int64 // the first record that has the folder
	deltas                 []deltaAt
}

type folderKey struct {
	parent uint64
	name   string
}

// deltaAt is where a delta is: between these bytes of the segment.
type deltaAt struct {
	segment      int32
	names, facts [2]uint32
}

// openSegment is a segment whose parts are read as they are needed.
type openSegment struct {
	number, record int64
	mu             sync.Mutex
	parts          [2][]byte
	read           [2]bool
}

// part returns a part of the segment.
func (s *openSegment) part(ctx context.Context, from store.Reader, which store.Part) (content []byte, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if !s.read[which] {
		if s.parts[which], err = from.Part(ctx, s.number, which); err != nil {
			return nil, err
		}
		s.read[which] = true
	}
	return s.parts[which], nil
}

// NewState returns what is known before any record, with room for folders.
func NewState(folders int) *State {
	return &State{folders: make([]folderState, encoding.Root+1, max(encoding.Root+1, folders)), ids: make(map[folderKey]uint64, folders)}
}

// Load reads a place up to a record, from the last layer on.
func Load(ctx context.Context, from store.Reader, place, upTo int64) (*State, error) {
	of, err := rangeTo(ctx, from, place, upTo)
	if err != nil {
		return nil, err
	}
	return LoadRange(ctx, from, of)
}

// LoadRange reads a range of the records of a place.
func LoadRange(ctx context.Context, from store.Reader, of store.Range) (*State, error) {
	segments, err := from.Segments(ctx, of)
	if err != nil {
		return nil, err
	}
	return stateOf(of, segments)
}

// stateOf returns what the segments of a range tell.
func stateOf(of store.Range, segments []store.SegmentRow) (*State, error) {
	expected := encoding.Root + 1 // about how many folders there will be
	for _, segment := range segments {
		expected += len(segment.Folders) / 48
	}
	s := NewState(expected)
	s.upTo = of.UpTo
	for _, segment := range segments {
		if err := s.add(segment); err != nil {
			return nil, err
		}
	}
	return s, nil
}

// Rolling is a state that goes from record to record, the oldest first.
type Rolling struct {
	state    *State
	segments []store.SegmentRow // that are still to be added
}

// Roll begins before the first record of a place.
func Roll(ctx context.Context, from store.Reader, place int64) (*Rolling, error) {
	segments, err := from.Segments(ctx, store.All(place))
	g := &Rolling{NewState(encoding.Root + 1), segments}
	g.state.joined = map[uint64]joined{}
	return g, err
}

// Segments returns those that were not added yet: at first, all.
func (g *Rolling) Segments() []store.SegmentRow { return g.segments }

// UpTo returns the state as of a record; it is good until the next call.
func (g *Rolling) UpTo(record int64) (*State, error) {
	g.state.upTo = record
	for len(g.segments) > 0 && g.segments[0].Record <= record {
		if err := g.state.add(g.segments[0]); err != nil {
			return nil, err
		}
		g.segments = g.segments[1:]
	}
	return g.state, nil
}

// at returns what was known at an earlier record, as far as what folders held: what
// else is known of these is as at the last one.
func (s *State) at(record int64) *State {
	earlier := *s
	earlier.upTo = record
	return &earlier
}

// ErrNumber is returned for a folder that lies where none can: in itself, or past all others.
var ErrNumber = fmt.Errorf("%w: the number of a folder is out of bounds", ledger.ErrDamaged)

const (
	bytesOfFolder = 16 // no folder takes less in a segment
	fewNumbers    = 1024
)

// add adds a segment, which comes after those that were added.
func (s *State) add(segment store.SegmentRow) error {
	at := deltaAt{segment: int32(len(s.segments))}
	s.segments = append(s.segments, &openSegment{number: segment.Number, record: segment.Record,
		parts: [2][]byte{store.Names: segment.Names, store.Facts: segment.Facts}, read: [2]bool{store.Names: segment.Names != nil, store.Facts: segment.Facts != nil}})
	var names, facts uint64
	wrong := false
	// New folders have the numbers that come next; gaps there are few. What somebody else made up is not
	// to take more room than it has itself.
	most := uint64(len(s.folders) + len(segment.Folders)/bytesOfFolder + fewNumbers)
	err := encoding.EachFolder(segment.Folders, func(v *encoding.FolderVersion) {
		const longest = encoding.LongestPart
		wrong = wrong || v.Number == 0 || v.Number > most || max(v.Names, v.Facts) > longest || v.Fresh && !s.canBeNew(v) || max(names+v.Names, facts+v.Facts) > longest
		if wrong {
			return
		}
		for v.Number >= uint64(len(s.folders)) {
			s.folders = append(s.folders, folderState{})
		}
		f := &s.folders[v.Number]
		if v.Fresh {
			s.ids[folderKey{v.Parent, v.Name}] = v.Number
			f.met = segment.Record
		} else {
			v.Parent, v.Name = f.Parent, f.Name
		}
		if v.HasDelta {
			at.names, at.facts = [2]uint32{uint32(names), uint32(names + v.Names)}, [2]uint32{uint32(facts), uint32(facts + v.Facts)}
			names, facts = names+v.Names, facts+v.Facts
			f.deltas = append(f.deltas, at)
		} else {
			v.Contents = f.Contents
		}
		f.FolderVersion, f.record = *v, segment.Record
	})
	if err == nil && wrong {
		err = ErrNumber
	}
	return err
}

// canBeNew reports whether a folder that is said to be met first can be: it has one place, in a
// folder that was met before it, so that no folder lies in itself, nor in several.
func (s *State) canBeNew(v *encoding.FolderVersion) bool {
	if known := s.Folder(v.Number); known != nil && (known.Parent != v.Parent || known.Name != v.Name) {
		return false
	}
	return v.Number == encoding.Root || v.Parent < v.Number && encoding.CanBeName([]byte(v.Name), []byte(v.Name))
}

// recordOf returns which record a delta is of.
func (s *State) recordOf(d deltaAt) int64 { return s.segments[d.segment].record }

// Known reports whether there is anything of a folder.
func (s *State) Known(id uint64) bool {
	return id < uint64(len(s.folders)) && s.folders[id].Number == id && id > 0
}

// Folder returns what is known of a folder, nil if nothing is.
func (s *State) Folder(id uint64) *folderState {
	if !s.Known(id) {
		return nil
	}
	return &s.folders[id]
}

// delta reads a delta, with its facts or without.
func (s *State) delta(ctx context.Context, from store.Reader, at deltaAt, facts bool) (d encoding.Delta, err error) {
	segment := s.segments[at.segment]
	cut := func(which store.Part, between [2]uint32) []byte {
		content, failed := segment.part(ctx, from, which)
		switch {
		case failed != nil:
			err = failed
		case int(between[1]) > len(content):
			err = fmt.Errorf("%w: a segment is too short", ledger.ErrDamaged)
		default:
			return content[between[0]:between[1]:between[1]]
		}
		return nil
	}
	d.Names = cut(store.Names, at.names)
	if facts && err == nil {
		d.Facts = cut(store.Facts, at.facts)
	}
	return d, err
}

// Held returns what is in a folder, in order of the bytes of names.
func (s *State) Held(ctx context.Context, from store.Reader, id uint64) ([]encoding.Recorded, error) {
	if !s.Known(id) {
		return nil, fmt.Errorf("%w: a folder is not there", ledger.ErrDamaged)
	}
	if s.joined != nil {
		var all []encoding.Recorded
		err := s.Pieces(ctx, from, id, func(piece []encoding.Recorded) error {
			all = append(all, piece...)
			return nil
		})
		return all, err
	}
	deltas, _, err := s.deltas(ctx, from, id)
	if err != nil {
		return nil, err
	}
	return encoding.Overlay(deltas)
}

// listed returns where the deltas of a folder are, up to the record of the state.
func (s *State) listed(id uint64) []deltaAt {
	list := s.folders[id].deltas
	later := sort.Search(len(list), func(i int) bool { return s.recordOf(list[i]) > s.upTo })
	return list[:later]
}

// deltas returns those that tell what is in a folder, and how many of them, at first, are parts that follow one another.
func (s *State) deltas(ctx context.Context, from store.Reader, id uint64) (deltas []encoding.Delta, parts int, err error) {
	list, n := s.listed(id), 0
	if before, is := s.joined[id]; is && before.record <= s.upTo {
		deltas, n = append(deltas, before.parts...), before.deltas
		parts = len(deltas)
	}
	for ; n < len(list); n++ {
		d, err := s.delta(ctx, from, list[n], true)
		if err != nil {
			return nil, 0, err
		}
		if deltas = append(deltas, d); parts == n && s.recordOf(list[n]) == s.recordOf(list[0]) {
			parts++
		}
	}
	return deltas, parts, nil
}

// heldBy returns what is in a folder by one name; nil for nothing. It looks for the newest delta that tells of the name,
// and unpacks only that.
func (s *State) heldBy(ctx context.Context, from store.Reader, id uint64, name string) (*encoding.Recorded, error) {
	if !s.Known(id) {
		return nil, fmt.Errorf("%w: a folder is not there", ledger.ErrDamaged)
	}
	key, list := folderKey{id, name}, s.listed(id)
	now := s.named[key]
	if now.record > s.upTo {
		now = named{}
	}
	for i := len(list) - 1; i >= now.deltas; i-- {
		d, err := s.delta(ctx, from, list[i], false)
		if err != nil {
			return nil, err
		}
		there, err := encoding.HasName(d.Names, name)
		if err != nil {
			return nil, err
		}
		if !there {
			continue
		}
		if d, err = s.delta(ctx, from, list[i], true); err != nil {
			return nil, err
		}
		entries, err := encoding.Unpack(nil, d)
		if err != nil {
			return nil, err
		}
		now.found = nil
		if at, is := encoding.Find(entries, name); is && !entries[at].Gone {
			found := entries[at] // without the others
			now.found = &found
		}
		break
	}
	now.record, now.deltas = s.upTo, len(list)
	if s.named != nil {
		s.named[key] = now
	}
	return now.found, nil
}

// Each calls a function for what is in a folder, which is valid only during the call, in order of the bytes of names.
func (s *State) Each(ctx context.Context, from store.Reader, id uint64, do func(*encoding.Recorded)) error {
	if f := s.Folder(id); f != nil && len(f.deltas) > 0 && s.recordOf(f.deltas[0]) == s.recordOf(f.deltas[len(f.deltas)-1]) && s.recordOf(f.deltas[0]) <= s.upTo {
		for _, at := range f.deltas { // parts that follow one another
			d, err := s.delta(ctx, from, at, true)
			if err != nil {
				return err
			}
			w := encoding.NewWalk(d)
			for w.Next() {
				if !w.Gone {
					do(&w.Recorded)
				}
			}
			if err := w.Err(); err != nil {
				return err
			}
		}
		return nil
	}
	return s.Pieces(ctx, from, id, func(held []encoding.Recorded) error {
		for i := range held {
			do(&held[i])
		}
		return nil
	})
}

// Pieces calls a function for what is in a folder, some of it after the other, in order of the bytes of names. A piece is
// valid only during the call.
func (s *State) Pieces(ctx context.Context, from store.Reader, id uint64, do func([]encoding.Recorded) error) error {
	if !s.Known(id) {
		return fmt.Errorf("%w: a folder is not there", ledger.ErrDamaged)
	}
	deltas, parts, err := s.deltas(ctx, from, id)
	if err != nil {
		return err
	}
	if s.joined == nil || len(deltas)-parts < worthJoining {
		return encoding.Pieces(deltas, parts, do)
	}
	now := joined{record: s.upTo, deltas: len(s.listed(id))}
	if err := encoding.Pieces(deltas, parts, func(piece []encoding.Recorded) error {
		var p encoding.Packer
		for i := range piece {
			piece[i].Pack(&p)
		}
		now.parts = append(now.parts, p.Delta().Clip())
		return do(piece)
	}); err != nil {
		return err
	}
	s.joined[id] = now
	return nil
}

// Len returns the bound of the numbers of folders: none has one as large.
func (s *State) Len() int { return len(s.folders) }

// Inside returns the number of a folder that lies in another, by its name; 0 if it has none.
func (s *State) Inside(id uint64, name string) uint64 { return s.ids[folderKey{id, name}] }

// SameFolders reports whether all that is known of folders is the same in another state, also of those
// that are gone.
func (s *State) SameFolders(other *State) bool {
	same := func(a, b folderState) bool { return sameFolder(&a.FolderVersion, &b.FolderVersion) }
	return slices.EqualFunc(s.folders, other.folders, same) && maps.Equal(s.ids, other.ids)
}

// sameFolder reports whether a folder is known to be the same by two versions.
func sameFolder(a, b *encoding.FolderVersion) bool {
	return a.Number == b.Number && a.Parent == b.Parent && a.Name == b.Name && a.Contents == b.Contents && a.Tree == b.Tree
}

// HoldsSame reports whether folders hold in another state what they hold in this one, by what each was
// packed of. The other is one that was read from a layer.
func (s *State) HoldsSame(ctx context.Context, from store.Reader, layer *State) (bool, error) {
	for id := range uint64(max(len(s.folders), len(layer.folders))) {
		a, b := s.Folder(id), layer.Folder(id)
		switch {
		case a == nil && b == nil:
			continue
		case a == nil || b == nil || !sameFolder(&a.FolderVersion, &b.FolderVersion):
			return false, nil
		}
		held, err := layer.Held(ctx, from, id)
		if err != nil {
			return false, ledger.UnlessDamaged(err)
		}
		_, now := encoding.PackFolder(held)
		if now.Plain == b.Plain && now.Full == b.Full {
			continue
		}
		// Earlier programs did not keep the hash of a folder that was gone.
		if held, err = s.Held(ctx, from, id); err != nil {
			return false, err
		}
		if _, was := encoding.PackFolder(held); was.Plain != now.Plain || was.Full != now.Full {
			return false, nil
		}
	}
	return true, nil
}

// EachDelta calls a function for each delta that a record has, with its folder.
func (s *State) EachDelta(ctx context.Context, from store.Reader, record int64, do func(id uint64, d encoding.Delta, err error) error) error {
	for id := range s.folders {
		for _, at := range s.folders[id].deltas {
			if s.recordOf(at) != record {
				continue
			}
			d, err := s.delta(ctx, from, at, true)
			if err := do(uint64(id), d, err); err != nil {
				return err
			}
		}
	}
	return nil
}

// Pack packs what the records from one on say of each folder, as if they were one record. Where there is
// none before, that need not say what is gone.
func (s *State) Pack(ctx context.Context, from store.Reader, since int64, first bool, to *encoding.SegmentWriter) error {
	for id := range s.folders {
		f := &s.folders[id]
		if !s.Known(uint64(id)) || f.record < since {
			continue
		}
		v := f.FolderVersion
		v.Fresh = f.met >= since
		var deltas []encoding.Delta
		for _, at := range f.deltas {
			if s.recordOf(at) < since {
				continue
			}
			d, err := s.delta(ctx, from, at, true)
			if err != nil {
				return err
			}
			deltas = append(deltas, d)
		}
		var joined encoding.Delta
		switch v.HasDelta = len(deltas) > 0; {
		case len(deltas) == 1 && since == 0: // nothing can be gone from it
			joined = deltas[0]
		case v.HasDelta:
			var err error
			if joined, err = encoding.Join(deltas, first); err != nil {
				return err
			}
		}
		if err := to.Add(ctx, &v, joined); err != nil {
			return err
		}
	}
	return to.Flush(ctx)
}

// find goes down a path and returns the entry there, if it is there, and the
// number of the folder that it lies in. It also reports whether a folder on the
// path could not be read, or was not entered.
func (s *State) find(ctx context.Context, from store.Reader, path []string) (found *encoding.Recorded, in uint64, unread bool, err error) {
	in = encoding.Root
	for i, name := range path {
		if found, err = s.heldBy(ctx, from, in, name); err != nil {
			return nil, 0, false, err
		}
		if found == nil {
			return nil, in, false, nil
		}
		if i == len(path)-1 {
			return found, in, false, nil
		}
		if !found.Entered {
			return nil, in, found.Entry.Kind == entry.KindFolder, nil
		}
		in = s.ids[folderKey{in, name}]
	}
	return nil, in, false, nil
}

// Path returns the path to a folder, and whether all the folders above are known.
func (s *State) Path(id uint64) (path string, known bool) {
	var names []string
	for id != encoding.Root {
		f := s.Folder(id)
		if f == nil || f.Parent == 0 || len(names) > len(s.folders) {
			return "", false
		}
		names = append(names, f.Name)
		id = f.Parent
	}
	slices.Reverse(names)
	return strings.Join(names, "/"), true
}

// JoinPath returns the path of what is in a folder, by the path of that.
func JoinPath(folder, name string) string {
	if folder == "" {
		return name
	}
	return folder + "/" + name
}

// rangeTo returns what has to be read to know what there was of a place at a record.
func rangeTo(ctx context.Context, from store.Reader, place, record int64) (store.Range, error) {
	layers, err := from.Layers(ctx, place)
	of := store.Range{Place: place, UpTo: record}
	for _, l := range layers {
		if l.Record <= record {
			of.Layer = l.Record
		}
	}
	return of, err
}
