package ledger

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"frankledger/core/exact"
	"frankledger/core/source"
)

// Saved is what an export holds.
type Saved struct {
	Records int
	Lines   int64
	Lost    []string // what a damaged ledger could not tell, a line each
}

// Export writes all records as JSON lines, from which Import makes them again. Of
// a damaged ledger it writes what can be read.
func (l *Ledger) Export(ctx context.Context, to io.Writer) (Saved, error) {
	x := &exporter{ctx: ctx, out: json.NewEncoder(to), store: l.store, states: map[int64]*state{}, faults: map[int64][]Fault{}}
	x.out.SetEscapeHTML(false)
	if err := x.check(l); err != nil {
		return x.saved, err
	}
	records, err := x.store.Records(ctx)
	if err != nil {
		return x.saved, err
	}
	header := linesVersion
	if err := x.put(line{Ledger: &header}); err != nil {
		return x.saved, err
	}
	for _, r := range records {
		if err := x.record(&r); err != nil {
			return x.saved, err
		}
		x.saved.Records++
	}
	return x.saved, x.put(line{End: &x.saved.Records})
}

// exporter writes one export.
type exporter struct {
	ctx    context.Context
	out    *json.Encoder
	store  Shelf
	states map[int64]*state // by place
	faults map[int64][]Fault
	broken bool // nothing can be vouched for
	saved  Saved
}

// check finds out what is wrong with the ledger, so that it is said of each record
// that it may not be as it was. What the store cannot read in the usual way is
// read bit by bit.
func (x *exporter) check(l *Ledger) error {
	faults, err := l.Check(x.ctx)
	if err != nil && !errors.Is(err, ErrDamaged) {
		return err
	}
	for _, f := range faults {
		x.broken = x.broken || f.Record == 0
		x.faults[f.Record] = append(x.faults[f.Record], f)
	}
	if x.broken = x.broken || err != nil; x.broken {
		x.lost("the ledger is damaged; what could be read may be neither all nor right")
		if f, is := l.store.(*file); is {
			x.store = &salvage{f.shelf, x.lost}
		}
	}
	return nil
}

func (x *exporter) put(l line) error {
	x.saved.Lines++
	return x.out.Encode(l)
}

func (x *exporter) lost(what string) { x.saved.Lost = append(x.saved.Lost, what) }

// record writes a record.
func (x *exporter) record(r *Record) error {
	head := r.line()
	var err error
	if head.Volumes, err = x.store.Volumes(x.ctx, r.place); err != nil && !errors.Is(err, ErrDamaged) {
		return err
	}
	if err := x.put(line{Record: head}); err != nil {
		return err
	}
	problems, err := x.store.Problems(x.ctx, r.Number)
	if err != nil && !errors.Is(err, ErrDamaged) {
		return err
	}
	for _, p := range problems {
		if err := x.put(line{Problem: problemLineOf(p)}); err != nil {
			return err
		}
	}
	faults := x.faults[r.Number]
	if x.broken {
		faults = []Fault{{Record: r.Number, What: "the ledger is damaged"}}
	}
	for _, f := range faults {
		if !x.broken {
			x.lost(fmt.Sprintf("record %d, %q: %s", f.Record, f.Way, f.What))
		}
		if err := x.put(line{Lost: &lostLine{Way: exact.Text(f.Way), Reason: f.What}}); err != nil {
			return err
		}
	}
	s := x.states[r.place]
	if s == nil {
		const all = 1<<63 - 1
		s, err = load(x.ctx, x.store, r.place, all)
		if errors.Is(err, ErrDamaged) {
			x.lost(fmt.Sprintf("all that is in %q: %s", r.Place, err))
			s, err = &state{}, x.put(line{Lost: &lostLine{Reason: err.Error()}})
		}
		if err != nil {
			return err
		}
		x.states[r.place] = s
	}
	for id := range s.folders {
		for _, at := range s.folders[id].pieces {
			if s.recordOf(at) != r.Number {
				continue
			}
			if err := x.piece(s, uint64(id), at, r); err != nil {
				return err
			}
		}
	}
	return nil
}

// piece writes what a record says of a folder.
func (x *exporter) piece(s *state, id uint64, at pieceAt, r *Record) error {
	way, known := s.way(id)
	if !known {
		x.lost(fmt.Sprintf("record %d: a folder whose name is lost", r.Number))
		return nil
	}
	p, err := s.piece(x.ctx, x.store, at, true)
	var list []kept
	if err == nil {
		list, err = appendAll(nil, p)
	}
	if errors.Is(err, ErrDamaged) {
		x.lost(fmt.Sprintf("record %d: what is in the folder %q", r.Number, way))
		return x.put(line{Lost: &lostLine{Way: exact.Text(way), Reason: err.Error()}})
	}
	if err != nil {
		return err
	}
	for i := range list {
		k := &list[i]
		way := exact.Text(wayTo(way, k.entry.Name))
		one := line{Gone: &way}
		if !k.gone {
			one = line{Entry: lineOf(string(way), k)}
		}
		if err := x.put(one); err != nil {
			return err
		}
	}
	return x.ctx.Err()
}

func problemLineOf(p source.Problem) *problemLine {
	return &problemLine{Way: exact.Text(p.Path), Tried: p.Tried, Reason: p.Err.Error(), Entries: p.Entries, Vanished: p.Vanished}
}

// way returns the way to a folder, and whether all the folders above are known.
func (s *state) way(id uint64) (way string, known bool) {
	var names []string
	for id != root {
		f := s.folder(id)
		if f == nil || f.parent == 0 || len(names) > len(s.folders) {
			return "", false
		}
		names = append(names, f.name)
		id = f.parent
	}
	slices.Reverse(names)
	return strings.Join(names, "/"), true
}
