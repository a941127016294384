package replay

import (
	"bytes"
	"cmp"
	"context"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Span is a state of one path that records next to each other have in common.
type Span struct {
	First, Last ledger.Record // that have it so
	Records     int           // how many
	State       Presence
	Path        string      // in full
	Entry       entry.Entry // if it was there
	packed      []byte
	before      *Span // of the same place and label
}

// Presence is what a record has of a path.
type Presence uint8

const (
	Absent Presence = iota
	There
	NotRead // the folder it would be in could not be read, or was left out
)

var stateWords = [...]string{"absent", "there", "not read"}

func (s Presence) String() string { return stateWords[s] }

// History returns all that is known of a full path on a host, in the order of the records. Records of several places
// that the path lies in, or of several labels, are compared only with those of the same place and label: each was
// taken in its own way. What no record has at all gives nothing. Met reports whether a record that was made with a
// condition would have an entry of another record; nil if that is not known.
func History(ctx context.Context, l *ledger.Ledger, host, path string, met func(ledger.Record, *entry.Entry) bool) (spans []Span, err error) {
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	for _, same := range seriesOf(records, host, path) {
		below, _ := belowPlace(path, same[0].Place)
		of, err := historyIn(ctx, l, same, path, below, met)
		if err != nil {
			return nil, err
		}
		spans = append(spans, of...)
	}
	slices.SortStableFunc(spans, func(a, b Span) int { return ledger.ByTurn(a.First, b.First) })
	return spans, nil
}

// seriesOf returns the records that tell of a path, those of one place and label together, in
// order.
func seriesOf(records []ledger.Record, host, path string) (series [][]ledger.Record) {
	for len(records) > 0 {
		var same, rest []ledger.Record
		for _, r := range records {
			if r.PlaceNumber == records[0].PlaceNumber && r.Label == records[0].Label {
				same = append(same, r)
			} else {
				rest = append(rest, r)
			}
		}
		if _, in := belowPlace(path, same[0].Place); in && same[0].Host == host {
			series = append(series, same)
		}
		records = rest
	}
	return series
}

// belowPlace returns the path from a place to a full path.
func belowPlace(path, place string) (rest string, in bool) {
	if path == place {
		return "", true
	}
	return strings.CutPrefix(path, strings.TrimSuffix(place, "/")+"/")
}

// historyIn returns the history of a path, and below the place of these records.
func historyIn(ctx context.Context, l *ledger.Ledger, records []ledger.Record, path, below string, met func(ledger.Record, *entry.Entry) bool) (spans []Span, err error) {
	var known *entry.Entry
	var all *State
	if below != "" {
		last := slices.MaxFunc(records, func(a, b ledger.Record) int { return cmp.Compare(a.Number, b.Number) }).Number
		if all, err = LoadRange(ctx, l.Store, store.Range{Place: records[0].PlaceNumber, UpTo: last}); err != nil {
			return nil, err
		}
		if slices.IsSortedFunc(records, ledger.ByNumber) { // as they mostly are
			all.named = map[folderKey]named{}
		}
	}
	for _, r := range records {
		now := Span{First: r, Last: r, Records: 1, State: There, Path: path, Entry: r.Self}
		if below == "" {
			if r.Self.Kind == 0 {
				now.State = NotRead
			}
		} else if now.State, now.Entry, err = look(ctx, l, all.at(r.Number), strings.Split(below, "/")); err != nil {
			return nil, err
		}
		if now.State == There {
			known = &now.Entry
			k := encoding.Recorded{Entry: now.Entry}
			k.Entry.Name, k.Entry.Accessed = "", k.Entry.Modified // to have been read makes no other state
			var p encoding.Packer
			k.Pack(&p)
			now.packed = append(p.Delta().Names, p.Delta().Facts...)
		}
		spans = append(spans, now)
	}
	if known == nil {
		return nil, nil
	}
	last := *known
	in := &entry.Folder{Place: &entry.Place{Given: records[0].Place, Full: records[0].Place}}
	steps := strings.Split(below, "/")
	for _, name := range steps[:len(steps)-1] {
		in = entry.NewFolder(in, name)
	}
	last.Folder = in
	for i := range slices.Backward(spans) { // what is there later tells most of what would have been there
		s := &spans[i]
		switch terms := &s.First.Terms; {
		case s.State == There:
			last = s.Entry
			last.Folder = in
		case s.State == Absent && (terms.Hidden.LeavesOut(below) || len(terms.Where) > 0 && (met == nil || !met(s.First, &last))):
			s.State = NotRead
		}
	}
	return joinAlike(spans), nil
}

// joinAlike makes one of those next to one another that have the same state.
func joinAlike(spans []Span) []Span {
	joined := spans[:1]
	for _, s := range spans[1:] {
		last := &joined[len(joined)-1]
		if last.State == s.State && bytes.Equal(last.packed, s.packed) {
			last.Last = s.First
			last.Records++
			continue
		}
		joined = append(joined, s)
	}
	return joined
}

// look tells what there was under a path.
func look(ctx context.Context, l *ledger.Ledger, s *State, path []string) (Presence, entry.Entry, error) {
	found, _, unread, err := s.find(ctx, l.Store, path)
	switch {
	case err != nil:
		return Absent, entry.Entry{}, err
	case unread:
		return NotRead, entry.Entry{}, nil
	case found == nil:
		return Absent, entry.Entry{}, nil
	}
	return There, found.Entry, nil
}
