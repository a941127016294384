package sides

import (
	"context"
	"hash/maphash"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// Side is one of two that are compared: a place, or those of several machines.
type Side struct {
	*source.Set
	Scopes []Scope // of its sources
	ByHost bool    // on the side before: entries are held against those of the same machine
}

// Held is what was found of two sides.
type Held struct {
	Report    source.Report
	Undecided int64 // entries of which it is known on neither side whether they meet the condition
	Unclear   int64 // that one side has, and the other, recorded with a condition, may have had as well
	Outside   int64 // that one side has where the other did not look
	Unread    int64 // that one side has where the other could not be read

	unclear map[string]int64 // by machine
}

// Read reads both sides and gives what of each is in the answer to the sink that is made for it: for
// side 0 before, and 1 after. It may make one again, which replaces that before.
func Read(ctx context.Context, before, after *Side, request source.Request, sink func(side int) source.Sink) (*Held, error) {
	h := &holding{ctx: ctx, sides: [2]*Side{before, after}, request: request, sink: sink, asked: request.Condition != nil,
		lone: !before.ByHost, seeds: [2]maphash.Seed{maphash.MakeSeed(), maphash.MakeSeed()}}
	paired := h.asked
	for i, side := range h.sides {
		h.scopes[i] = map[string]Scope{}
		for j, one := range side.Sources {
			h.scopes[i][h.host(one.Place())] = side.Scopes[j]
			if c := side.Scopes[j].Condition; c != nil {
				paired = true
				h.request.Facts |= c.Needs()
			}
		}
	}
	read := h.each
	if paired {
		read = h.pairs
	}
	if err := read(); err != nil {
		return nil, err
	}
	held := h.left[0]
	for n, of := range map[*int64]int64{&held.Undecided: h.left[1].Undecided, &held.Unclear: h.left[1].Unclear, &held.Outside: h.left[1].Outside, &held.Unread: h.left[1].Unread} {
		*n += of
	}
	held.Report = h.report
	for i, side := range h.sides {
		for _, one := range side.Sources {
			NoteUnclear(&held.Report, one.Place(), h.left[1-i].unclear[h.host(one.Place())])
		}
	}
	Settle(&held.Report, held.Undecided)
	return &held, nil
}

// holding compares two sides.
type holding struct {
	ctx     context.Context
	sides   [2]*Side
	scopes  [2]map[string]Scope // by host
	request source.Request
	sink    func(side int) source.Sink
	asked   bool // there is a condition
	lone    bool // there is one place on each side, whatever machine it is of
	seeds   [2]maphash.Seed
	shut    [2]Shut
	report  source.Report

	mu   sync.Mutex
	met  map[key]half
	left [2]Held // by side; the reports are not used
}

// key is a path, by two hashes.
type key [2]uint64

// half is what the side that was read first says of a path.
type half struct {
	verdict source.Verdict
	both    bool // the other side has it, too
	late    bool // which chose it
	state   state
}

// host is what tells the places of one side apart.
func (h *holding) host(p *entry.Place) string {
	if h.lone || p.Record == nil {
		return ""
	}
	return p.Record.Host + "/"
}

// each reads both sides where no condition chooses: entries are in the answer as far as both sides
// looked.
func (h *holding) each() error {
	for side := range h.sides {
		if err := h.read(side, true, nil); err != nil {
			return err
		}
	}
	if h.shut[1].beyond(&h.shut[0]) {
		return h.read(0, false, nil)
	}
	return nil
}

// pairs reads the side twice of which reading costs less and tells the same again.
func (h *holding) pairs() error {
	first, second := 0, 1
	if recorded(h.sides[1]) && !recorded(h.sides[0]) {
		first, second = 1, 0
	}
	if h.asked {
		h.request = Marking(h.request)
	}
	h.met = map[key]half{}
	if err := h.read(first, true, h.meet); err != nil {
		return err
	}
	if err := h.read(second, true, h.match); err != nil {
		return err
	}
	return h.read(first, false, h.meetAgain)
}

func recorded(s *Side) bool { return s.Sources[0].Place().Kept }

// decision decides whether an entry is given to its side's sink. How says how it stands if only its side
// has it.
type decision func(side int, k key, e *entry.Entry, how func(*entry.Entry) Standing) bool

// read reads a side. The first time, what there is is noted in the report.
func (h *holding) read(side int, first bool, decide decision) error {
	h.left[side] = Held{unclear: map[string]int64{}}
	from, request := h.sides[side], h.request
	scopes := []Scope{}
	if h.lone {
		scopes = []Scope{h.sides[0].Scopes[0], h.sides[1].Scopes[0]}
	}
	report, err := from.Read(h.ctx, Narrowed(request, from.Sources[0].Capabilities(), scopes...), h.pass(side, decide))
	if first {
		for _, one := range from.Sources {
			h.shut[side].NoteProblems(one.Place(), h.host(one.Place()), report.Problems)
		}
		h.report.Add(report)
	}
	for _, s := range h.scopes[1-side] {
		s.Forget()
	}
	return err
}

// pass is a sink that passes on what is in the answer.
func (h *holding) pass(side int, decide decision) source.Sink {
	next := h.sink(side)
	return source.SinkFunc(func() source.Visitor {
		visit := next.Visitor()
		tests := map[string]func(*entry.Entry) Standing{}
		var room []entry.Entry
		var hash maphash.Hash
		return func(entries []entry.Entry) error {
			if entries[0].Self {
				return nil
			}
			folder := entries[0].Folder
			host := h.host(folder.Place)
			h.shut[side].Note(entries, func(e *entry.Entry) string { return host + e.Relative() })
			other, scope := &h.shut[1-side], h.scopes[1-side][host]
			if decide == nil && other.isEmpty() && scope.Hidden != source.OmitHidden {
				return visit(entries)
			}
			rel := host + folder.Relative()
			if shut, unread := other.In(rel); shut {
				if unread {
					folder.MarkUnread() // on both sides it is not known what is in it
				}
				h.count(side, func(held *Held) {
					if unread {
						held.Unread += int64(len(entries))
					} else {
						held.Outside += int64(len(entries))
					}
				})
				return nil
			}
			if tests[host] == nil {
				tests[host] = scope.Test()
			}
			room = room[:0]
			for i := range entries {
				e := &entries[i]
				if scope.Hidden == source.OmitHidden && (e.Hidden() || folder.Hidden) {
					h.count(side, func(held *Held) { held.Outside++ })
					continue
				}
				if decide != nil {
					var k key
					for n, seed := range h.seeds {
						hash.SetSeed(seed)
						hash.WriteString(rel)
						hash.WriteByte(0)
						hash.WriteString(e.Name)
						k[n] = hash.Sum64()
						hash.Reset()
					}
					if !decide(side, k, e, tests[host]) {
						continue
					}
				}
				room = append(room, *e)
				if kept := &room[len(room)-1]; kept.Inside != nil {
					if shut, unread := other.In(host + e.Relative()); shut && !unread {
						kept.Inside = nil // nothing is said of what is in it
					}
				}
			}
			if len(room) == 0 {
				return nil
			}
			return visit(room)
		}
	})
}

func (h *holding) count(side int, count func(*Held)) {
	h.mu.Lock()
	defer h.mu.Unlock()
	count(&h.left[side])
}

// verdictOf is whether an entry meets the condition, if there is one.
func (h *holding) verdictOf(e *entry.Entry) source.Verdict {
	if !h.asked {
		return source.Yes
	}
	return verdictOf(e)
}

// meet notes what one side has.
func (h *holding) meet(_ int, k key, e *entry.Entry, _ func(*entry.Entry) Standing) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.met[k] = half{verdict: h.verdictOf(e), state: stateOf(e)}
	return false
}

// match decides on an entry of the other side.
func (h *holding) match(side int, k key, e *entry.Entry, how func(*entry.Entry) Standing) bool {
	verdict := h.verdictOf(e)
	h.mu.Lock()
	defer h.mu.Unlock()
	one, both := h.met[k]
	if !both {
		return h.alone(side, verdict, e, how)
	}
	one.both, one.late = true, verdict == source.Yes
	h.met[k] = one
	switch decide(one.verdict, verdict, one.state, stateOf(e)) {
	case source.Yes:
		return true
	case source.Unknown:
		h.left[side].Undecided++
	}
	return false
}

// meetAgain decides on what the first side has, now that the other is known.
func (h *holding) meetAgain(side int, k key, e *entry.Entry, how func(*entry.Entry) Standing) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	one, met := h.met[k]
	switch {
	case !met: // it has come since
		return false
	case one.both:
		return one.verdict == source.Yes || one.late
	}
	return h.alone(side, one.verdict, e, how)
}

// alone decides on an entry that only one side has.
func (h *holding) alone(side int, verdict source.Verdict, e *entry.Entry, how func(*entry.Entry) Standing) bool {
	if verdict == source.No {
		return false
	}
	standing := how(e)
	switch {
	case standing == Outside:
		h.left[side].Outside++
	case verdict == source.Unknown:
		h.left[side].Undecided++
	case standing == Unclear:
		h.left[side].Unclear++
		h.left[side].unclear[h.host(e.Folder.Place)]++
	default:
		return true
	}
	return false
}
