package ledger

import (
	"bytes"
	"cmp"
	"context"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// Span is a state of one path that records next to each other have in common.
type Span struct {
	First, Last Record // that have it so
	Records     int    // how many
	State       State
	Path        string      // in full
	Entry       entry.Entry // if it was there
	packed      []byte
	before      *Span // of the same place and label
}

// State is what a record has of a path.
type State uint8

const (
	Absent State = iota
	There
	NotRead // the folder it would be in could not be read, or was left out
)

var stateWords = [...]string{"absent", "there", "not read"}

func (s State) String() string { return stateWords[s] }

// History returns all that is known of a full path on a host, in the order
// of the records. Records of several places that the path lies in, or of several labels, are held
// only against those of the same place and label: each was taken in its own way.
// What no record has at all gives nothing.
func (l *Ledger) History(ctx context.Context, host, path string) (spans []Span, err error) {
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	for _, same := range seriesOf(records, host, path) {
		below, _ := belowPlace(path, same[0].Place)
		of, err := l.historyIn(ctx, same, path, below)
		if err != nil {
			return nil, err
		}
		spans = append(spans, of...)
	}
	slices.SortStableFunc(spans, func(a, b Span) int { return byTurn(a.First, b.First) })
	return spans, nil
}

// seriesOf returns the records that tell of a path, those of one place and label together, in
// order.
func seriesOf(records []Record, host, path string) (series [][]Record) {
	for len(records) > 0 {
		var same, rest []Record
		for _, r := range records {
			if r.place == records[0].place && r.Label == records[0].Label {
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
func (l *Ledger) historyIn(ctx context.Context, records []Record, path, below string) (spans []Span, err error) {
	known := false
	var all *state
	if below != "" {
		last := slices.MaxFunc(records, func(a, b Record) int { return cmp.Compare(a.Number, b.Number) }).Number
		if all, err = loadRange(ctx, l.store, store.Range{Place: records[0].place, UpTo: last}); err != nil {
			return nil, err
		}
		if slices.IsSortedFunc(records, byNumber) { // as they mostly are
			all.joined = map[uint64]joined{}
		}
	}
	for _, r := range records {
		now := Span{First: r, Last: r, Records: 1, State: There, Path: path, Entry: r.self}
		if below == "" {
			if r.self.Kind == 0 {
				now.State = NotRead
			}
		} else if now.State, now.Entry, err = l.look(ctx, all.at(r.Number), strings.Split(below, "/")); err != nil {
			return nil, err
		}
		if now.State == There {
			known = true
			k := encoding.Recorded{Entry: now.Entry}
			k.Entry.Name, k.Entry.Accessed = "", k.Entry.Modified // to have been read makes no other state
			var p encoding.Packer
			k.Pack(&p)
			now.packed = append(p.Delta().Names, p.Delta().Facts...)
		}
		if last := len(spans) - 1; last >= 0 && spans[last].State == now.State && bytes.Equal(spans[last].packed, now.packed) {
			spans[last].Last = r
			spans[last].Records++
			continue
		}
		spans = append(spans, now)
	}
	if !known {
		return nil, nil
	}
	return spans, nil
}

// look tells what there was under a path.
func (l *Ledger) look(ctx context.Context, s *state, path []string) (State, entry.Entry, error) {
	found, _, unread, err := s.find(ctx, l.store, path)
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
