package ledger

import (
	"context"
	"fmt"
	"sync"

	"frankledger/core/entry"
)

// state is what a ledger has of a place up to a record: its folders, and where
// their pieces are. Names and facts are read as they are needed. It may be used
// by several goroutines.
type state struct {
	sheets  []*openSheet
	folders []folderState // by number
	ids     map[folderKey]uint64
}

// root is the number of the place itself among its folders.
const root = 1

// folderState is what is known of a folder.
type folderState struct {
	folderVersion       // the newest
	record        int64 // that it is of
	met           int64 // the first record that has the folder
	pieces        []pieceAt
}

type folderKey struct {
	parent uint64
	name   string
}

// pieceAt is where a piece is: between these bytes of the sheet.
type pieceAt struct {
	sheet        int32
	names, facts [2]uint32
}

// openSheet is a sheet whose parts are read as they are needed.
type openSheet struct {
	number, record int64
	mu             sync.Mutex
	parts          [2][]byte
	read           [2]bool
}

// part returns a part of the sheet.
func (s *openSheet) part(ctx context.Context, shelf Shelf, which Part) (content []byte, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if !s.read[which] {
		if s.parts[which], err = shelf.Part(ctx, s.number, which); err != nil {
			return nil, err
		}
		s.read[which] = true
	}
	return s.parts[which], nil
}

// load reads what there is of a place up to a record.
func load(ctx context.Context, shelf Shelf, place, upTo int64) (*state, error) {
	sheets, err := shelf.Sheets(ctx, place, upTo)
	if err != nil {
		return nil, err
	}
	expected := root + 1 // about how many folders there will be
	for _, sheet := range sheets {
		expected += len(sheet.Folders) / 48
	}
	s := &state{folders: make([]folderState, root+1, expected), ids: make(map[folderKey]uint64, expected)}
	for _, sheet := range sheets {
		if err := s.add(sheet); err != nil {
			return nil, err
		}
	}
	return s, nil
}

var errNumber = fmt.Errorf("%w: the number of a folder is out of bounds", ErrDamaged)

// add adds a sheet, which comes after those that were added.
func (s *state) add(sheet Sheet) error {
	at := pieceAt{sheet: int32(len(s.sheets))}
	s.sheets = append(s.sheets, &openSheet{number: sheet.Number, record: sheet.Record})
	var names, facts uint64
	wrong := false
	err := eachVersion(sheet.Folders, func(v *folderVersion) {
		wrong = wrong || v.folder == 0 || v.folder > uint64(len(s.folders)+len(sheet.Folders)) || max(v.names, v.facts) > sheetLimit || max(names+v.names, facts+v.facts) > sheetLimit
		if wrong {
			return
		}
		for v.folder >= uint64(len(s.folders)) {
			s.folders = append(s.folders, folderState{})
		}
		f := &s.folders[v.folder]
		if v.fresh {
			s.ids[folderKey{v.parent, v.name}] = v.folder
			f.met = sheet.Record
		} else {
			v.parent, v.name = f.parent, f.name
		}
		if v.pieced {
			at.names, at.facts = [2]uint32{uint32(names), uint32(names + v.names)}, [2]uint32{uint32(facts), uint32(facts + v.facts)}
			names, facts = names+v.names, facts+v.facts
			f.pieces = append(f.pieces, at)
		} else {
			v.own, v.full, v.digested = f.own, f.full, f.digested
		}
		f.folderVersion, f.record = *v, sheet.Record
	})
	if err == nil && wrong {
		err = errNumber
	}
	return err
}

// sheetLimit is how long the names or the facts of a sheet can be: one folder of
// very many entries.
const sheetLimit = 1 << 31

// recordOf returns which record a piece is of.
func (s *state) recordOf(p pieceAt) int64 { return s.sheets[p.sheet].record }

// known tells whether there is anything of a folder.
func (s *state) known(id uint64) bool {
	return id < uint64(len(s.folders)) && s.folders[id].folder == id && id > 0
}

// folder returns what is known of a folder, nil if nothing is.
func (s *state) folder(id uint64) *folderState {
	if !s.known(id) {
		return nil
	}
	return &s.folders[id]
}

// piece reads a piece, with its facts or without.
func (s *state) piece(ctx context.Context, shelf Shelf, at pieceAt, facts bool) (p piece, err error) {
	sheet := s.sheets[at.sheet]
	cut := func(which Part, between [2]uint32) []byte {
		content, failed := sheet.part(ctx, shelf, which)
		switch {
		case failed != nil:
			err = failed
		case int(between[1]) > len(content):
			err = fmt.Errorf("%w: a sheet is too short", ErrDamaged)
		default:
			return content[between[0]:between[1]:between[1]]
		}
		return nil
	}
	p.names = cut(Names, at.names)
	if facts && err == nil {
		p.facts = cut(Facts, at.facts)
	}
	return p, err
}

// pieces reads all pieces of a folder, the oldest first.
func (s *state) pieces(ctx context.Context, shelf Shelf, id uint64) ([]piece, error) {
	if !s.known(id) {
		return nil, fmt.Errorf("%w: a folder is not there", ErrDamaged)
	}
	list := make([]piece, len(s.folders[id].pieces))
	for i, at := range s.folders[id].pieces {
		var err error
		if list[i], err = s.piece(ctx, shelf, at, true); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// held returns what is in a folder, in order of the bytes of names.
func (s *state) held(ctx context.Context, shelf Shelf, id uint64) ([]kept, error) {
	pieces, err := s.pieces(ctx, shelf, id)
	if err != nil {
		return nil, err
	}
	return overlay(pieces)
}

// find goes down a way and returns the entry there, if it is there, and the
// number of the folder that it lies in. It also tells whether a folder on the
// way could not be read, or was not gone into.
func (s *state) find(ctx context.Context, shelf Shelf, way []string) (e *kept, in uint64, unread bool, err error) {
	in = root
	for i, name := range way {
		held, err := s.held(ctx, shelf, in)
		if err != nil {
			return nil, 0, false, err
		}
		at, there := findName(held, name)
		if !there {
			return nil, in, false, nil
		}
		if e = &held[at]; i == len(way)-1 {
			return e, in, false, nil
		}
		if !e.entered {
			return nil, in, e.entry.Kind == entry.KindFolder, nil
		}
		in = s.ids[folderKey{in, name}]
	}
	return nil, in, false, nil
}

// wayTo returns the way to what is in a folder, by the way to that.
func wayTo(folder, name string) string {
	if folder == "" {
		return name
	}
	return folder + "/" + name
}
