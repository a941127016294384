package replay

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/quantity"
	"frankledger/core/source"
)

// Source is a record, or something in one, as a source of entries.
type Source struct {
	ledger *ledger.Ledger
	record ledger.Record
	below  []string // the path from its place to what is asked about
	place  entry.Place
	state  *State
	start  uint64             // the folder that is asked about
	alone  *encoding.Recorded // what is asked about, if that is not the place of the record
	ahead  *ahead             // what was read before its turn
	// fellows are the records that a question is about, this one being the nth; nil for none.
	fellows *Fellows
	nth     int
	// Among says that this is one of many records that a question is about: it does not keep what it
	// has read, and that it is damaged is a problem, not an error.
	Among bool
}

// What can be wrong with a path into a record.
var (
	ErrNoEntry = errors.New("the record has no such path")
	ErrNotRead = errors.New("it could not be read, or was left out, when the record was made")
)

// SourceOf returns a record as a source, or what it has by a path from its place,
// under the name that it was asked for by.
func SourceOf(ctx context.Context, l *ledger.Ledger, r ledger.Record, below, given string, index int) (*Source, error) {
	s := &Source{ledger: l, record: r, start: encoding.Root, place: entry.Place{Index: index, Given: given, Full: r.Place,
		Kept: true, Record: &entry.Record{Number: r.Number, Label: r.Label, Host: r.Host, Taken: entry.TimeOf(r.Taken)}}}
	if below == "" {
		return s, nil
	}
	if r.Damaged {
		return nil, fmt.Errorf("%w: the row of record %d", ledger.ErrDamaged, r.Number)
	}
	s.below = strings.Split(below, "/")
	s.place.Full = strings.TrimSuffix(r.Place, "/") + "/" + below
	if err := s.load(ctx, nil); err != nil {
		return nil, err
	}
	found, in, unread, err := s.state.find(ctx, l.Store, s.below)
	switch {
	case err != nil:
		return nil, err
	case unread:
		return nil, ErrNotRead
	case found == nil:
		return nil, ErrNoEntry
	}
	s.alone, s.place.Leaf = found, found.Entry.Kind != entry.KindFolder
	if found.Entered {
		s.start = s.state.Inside(in, found.Entry.Name)
	}
	return s, nil
}

// Record returns the record that is read.
func (s *Source) Record() ledger.Record { return s.record }

// Relative returns the path from the place of the record to what is read of it.
func (s *Source) Relative() string { return strings.Join(s.below, "/") }

// load reads what folders there are, once.
func (s *Source) load(ctx context.Context, first *store.First) (err error) {
	switch {
	case s.state != nil:
	case first == nil:
		s.state, err = Load(ctx, s.ledger.Store, s.record.PlaceNumber, s.record.Number)
	case first.Segments == nil:
		s.state, err = LoadRange(ctx, s.ledger.Store, first.Of)
	default:
		s.state, err = stateOf(first.Of, first.Segments)
	}
	return err
}

// Place implements source.Source.
func (s *Source) Place() *entry.Place { return &s.place }

// Of what a record has not got.
var (
	errKept        = errors.New("is a record, and has only what was found when it was made")
	errNotRecorded = errors.New("it is not in this record")
	errLeftOut     = errors.New("it was left out when the record was made")
)

// Capabilities implements source.Source.
func (s *Source) Capabilities() source.Capabilities {
	facts := entry.FactStatus | entry.FactCreated | entry.FactTarget
	if s.record.Terms.Whole() {
		facts |= entry.FactInside
	}
	if s.record.Terms.Attributes {
		facts |= entry.FactXattrs | entry.FactFlags
	}
	if a, err := entry.LookupAlgorithm(s.record.Algorithm); err == nil {
		facts |= a.Fact
	}
	return source.Capabilities{Below: true, Whole: s.record.Terms.Whole(), Facts: facts, Limits: errKept, Untold: errNotRecorded}
}

// Read implements source.Source. What a record has no notion of, as whether a
// file can be read now, is not known of its entries.
func (s *Source) Read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	if !s.Among {
		return s.read(ctx, request, sink)
	}
	defer s.settle()
	report, err := s.read(ctx, request, sink)
	if errors.Is(err, ledger.ErrDamaged) {
		report.Problems = append(report.Problems, source.Problem{Path: s.place.Given, Tried: "read", Err: err, Entries: max(1, s.record.Entries-report.Tested)})
		err = nil
	}
	return report, err
}

func (s *Source) read(ctx context.Context, request source.Request, sink source.Sink) (source.Report, error) {
	r := &reading{ctx: ctx, source: s, request: request, sink: sink}
	if err := s.Capabilities().Check(&request); err != nil {
		return r.report, err
	}
	if s.record.Damaged {
		return r.report, fmt.Errorf("%w: the row of record %d", ledger.ErrDamaged, s.record.Number)
	}
	ahead := s.taken(ctx, request)
	if ahead.err != nil {
		return r.report, ahead.err
	}
	r.problems(ahead.problems)
	r.changed.L = &r.mu
	place := &entry.Folder{Place: &s.place}
	if request.Self || request.Depth == 0 || s.place.Leaf {
		if err := r.self(place); err != nil {
			return r.report, err
		}
	}
	if request.Depth > 0 && !s.place.Leaf {
		if s.alone != nil && !s.alone.Entered {
			place.MarkUnread()
			if !s.alone.Unread { // else the problems tell why
				r.report.Problems = append(r.report.Problems, source.Problem{Path: s.place.Given, Tried: source.OpenFolder, Err: errLeftOut, Entries: 1, Shut: true})
			}
			return r.report, nil
		}
		if done, err := r.narrow(place, ahead.narrowed); done || err != nil {
			r.report.SortProblems()
			return r.report, cmp.Or(err, ctx.Err())
		}
		if err := s.load(ctx, ahead.first); err != nil {
			return r.report, err
		}
		r.steps = []step{{place, s.start}}
		var group sync.WaitGroup
		for range runtime.GOMAXPROCS(0) {
			group.Go((&reader{reading: r}).work)
		}
		group.Wait()
	}
	r.report.SortProblems()
	if r.err == nil {
		r.err = ctx.Err()
	}
	return r.report, r.err
}

// self gives what is asked about itself.
func (r *reading) self(place *entry.Folder) error {
	one := &reader{reading: r, visit: r.sink.Visitor()}
	e := r.source.record.Self
	if r.source.alone != nil {
		e = r.source.alone.Entry
	}
	e.Folder, e.Self, e.Name = place, true, path.Base(r.source.place.Full)
	if e.Kind == entry.KindFolder {
		e.Inside = place
	}
	if e.Kind == entry.KindFolder && r.asksInside() && (r.source.alone == nil || r.source.alone.Entered) {
		if err := r.source.load(r.ctx, nil); err != nil {
			return err
		}
		if err := one.lookInside(r.source.start, &e); err != nil {
			return err
		}
	}
	verdict := source.Yes
	if r.request.Condition != nil {
		r.report.Tested++
		one.test = r.request.Condition.Test()
		verdict = one.test(&e, 0)
	}
	one.verdicts = []source.Verdict{verdict}
	return one.give([]encoding.Recorded{{Entry: e}})
}

// reading is one reading of a record, by several readers.
type reading struct {
	ctx     context.Context
	source  *Source
	request source.Request
	sink    source.Sink

	mu      sync.Mutex
	changed sync.Cond
	steps   []step // folders to be given
	met     []bool // folders that were, by their numbers
	busy    int    // readers that have one
	report  source.Report
	err     error // the first
}

// step is a folder to be given, and its number.
type step struct {
	folder *entry.Folder
	id     uint64
}

// problems tells what could not be read when the record was taken.
func (r *reading) problems(problems []store.ProblemRow) {
	for _, row := range problems {
		below, is := belowPath(row.Path, r.source.Relative())
		if !is {
			continue
		}
		p := ledger.ProblemOf(row)
		p.Path, p.Shut = r.source.place.Given, below == "" && p.Tried == source.OpenFolder
		if below != "" {
			p.Path = strings.TrimSuffix(p.Path, "/") + "/" + below
		}
		r.report.Problems = append(r.report.Problems, p)
	}
}

// belowPath returns the rest of a path that leads to, or below, another.
func belowPath(path, above string) (rest string, is bool) {
	if above == "" || path == above {
		return strings.TrimPrefix(path, above), true
	}
	return strings.CutPrefix(path, above+"/")
}

// reader is one goroutine's share of a reading.
type reader struct {
	*reading
	visit    source.Visitor
	test     source.Test
	report   source.Report
	verdicts []source.Verdict
	batch    []entry.Entry
	room     []encoding.Recorded
}

// work gives folders until there are none left.
func (r *reader) work() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.visit = r.sink.Visitor()
	if r.request.Condition != nil {
		r.test = r.request.Condition.Test()
	}
	for {
		for len(r.steps) == 0 && r.busy > 0 {
			r.changed.Wait()
		}
		if len(r.steps) == 0 || r.err != nil || r.ctx.Err() != nil {
			break
		}
		next := r.steps[len(r.steps)-1]
		r.steps = r.steps[:len(r.steps)-1]
		r.busy++
		r.mu.Unlock()
		below, err := r.folder(next)
		r.mu.Lock()
		r.busy--
		r.steps = append(r.steps, below...)
		if err != nil && r.err == nil {
			r.err = err
		}
		r.changed.Broadcast()
	}
	r.reading.report.Add(r.report)
	r.changed.Broadcast()
}

// folder gives what is in a folder, and returns the folders in it to be given.
// Facts are only unpacked where names and kinds leave something open, or where
// more is asked for of what is given.
func (r *reader) folder(s step) (below []step, err error) {
	state, store := r.source.state, r.source.ledger.Store
	if !state.Known(s.id) {
		return nil, fmt.Errorf("%w: a folder is not there", ledger.ErrDamaged)
	}
	if !r.meet(s.id) {
		return nil, fmt.Errorf("%w: a folder is in two, or in itself", ledger.ErrDamaged)
	}
	r.report.Folders++
	deltas := state.folders[s.id].deltas
	if len(deltas) > 0 && state.recordOf(deltas[0]) != state.recordOf(deltas[len(deltas)-1]) {
		err := state.Pieces(r.ctx, store, s.id, func(held []encoding.Recorded) error {
			below, _ = r.chooseAll(s, held, below)
			if err := r.lookInsideAll(s, held); err != nil {
				return err
			}
			return r.give(held)
		})
		return below, err
	}
	for _, at := range deltas { // of a folder with very many entries there are several, which have a part of them each
		p, err := state.delta(r.ctx, store, at, false)
		if err == nil {
			r.room, err = encoding.UnpackNames(r.room[:0], p.Names)
		}
		if err != nil {
			return nil, err
		}
		var wanted bool
		if below, wanted = r.chooseAll(s, r.room, below); wanted {
			if p, err = state.delta(r.ctx, store, at, true); err == nil {
				err = encoding.UnpackFacts(r.room, p.Facts)
			}
			if err != nil {
				return nil, err
			}
		}
		if err := r.lookInsideAll(s, r.room); err != nil {
			return nil, err
		}
		if err := r.give(r.room); err != nil {
			return nil, err
		}
	}
	return below, nil
}

// meet reports whether a folder is met for the first time.
func (r *reading) meet(id uint64) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.met == nil {
		r.met = make([]bool, len(r.source.state.folders))
	}
	first := !r.met[id]
	r.met[id] = true
	return first
}

// chooseAll decides on entries of a folder as far as name and kind tell, and adds the
// folders to be entered. It reports whether facts are needed.
func (r *reader) chooseAll(s step, held []encoding.Recorded, below []step) (entered []step, wanted bool) {
	r.verdicts = r.verdicts[:0]
	for i := range held {
		verdict := r.choose(s.folder, &held[i], &below, s.id)
		r.verdicts = append(r.verdicts, verdict)
		wanted = wanted || verdict == source.Open || verdict == source.Yes && r.request.Facts != 0
	}
	return below, wanted
}

// choose decides, as far as name and kind tell, whether an entry is given, and
// notes a folder to be entered.
func (r *reader) choose(folder *entry.Folder, k *encoding.Recorded, below *[]step, id uint64) source.Verdict {
	if k.Gone {
		return source.No
	}
	e := &k.Entry
	e.Folder = folder
	treatment := r.request.Hidden.Treat(e.Hidden())
	if treatment == source.Left {
		r.report.Hidden++
		return source.No
	}
	if e.Kind == entry.KindFolder && r.request.Enters(folder) {
		inside := entry.NewFolder(folder, e.Name)
		switch {
		case r.request.Skips(inside):
			r.report.Skipped++
		case k.Unread:
			inside.MarkUnread()
			e.Inside = inside
		case k.Entered:
			e.Inside = inside
			*below = append(*below, step{inside, r.source.state.Inside(id, e.Name)})
		}
	}
	switch {
	case treatment == source.Passed:
		return source.No
	case r.test == nil:
		return source.Yes
	}
	r.report.Tested++
	return r.test(e, 0)
}

// asksInside reports whether it is asked of folders if there is anything in them.
func (r *reading) asksInside() bool {
	facts := r.request.Facts
	if r.request.Condition != nil {
		facts |= r.request.Condition.Needs()
	}
	return facts&entry.FactInside != 0
}

// lookInsideAll finds out of the folders in a folder whether anything is in them, if that is
// asked.
func (r *reader) lookInsideAll(s step, held []encoding.Recorded) error {
	if !r.asksInside() {
		return nil
	}
	for i := range held {
		if k := &held[i]; k.Entered && !k.Unread && r.verdicts[i] != source.No {
			if err := r.lookInside(r.source.state.Inside(s.id, k.Entry.Name), &k.Entry); err != nil {
				return err
			}
		}
	}
	return nil
}

// lookInside finds out whether anything is in a folder. A record that was made of some entries
// only does not tell that of one of which it has none.
func (r *reader) lookInside(id uint64, e *entry.Entry) error {
	held, err := r.source.state.Held(r.ctx, r.source.ledger.Store, id)
	if err != nil {
		return err
	}
	terms := &r.source.record.Terms
	switch {
	case slices.ContainsFunc(held, func(k encoding.Recorded) bool { return !k.Gone }):
		e.Known |= entry.FactInside
	case terms.Where == nil && terms.Hidden == source.ShowHidden:
		e.Known |= entry.FactInside
		e.Marks |= entry.MarkVoid
	}
	return nil
}

// give hands over the entries that are chosen.
func (r *reader) give(held []encoding.Recorded) error {
	r.batch = r.batch[:0]
	var size int64
	for i := range held {
		e := &held[i].Entry
		if r.verdicts[i] == source.Open {
			r.verdicts[i] = r.test(e, ^entry.Facts(0))
		}
		if r.verdicts[i] != source.Yes {
			continue
		}
		if e.HasSize() {
			size = quantity.Add(size, e.Size)
		}
		r.batch = append(r.batch, *e)
		if r.request.Facts&entry.FactCreated == 0 {
			r.batch[len(r.batch)-1].ForgetCreated()
		}
	}
	if p := r.request.Progress; p != nil {
		p.Entries.Add(int64(len(r.batch)))
		p.Bytes.Add(size)
		p.Folders.Add(1)
	}
	if len(r.batch) == 0 {
		return nil
	}
	return r.visit(r.batch)
}
