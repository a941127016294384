package ledger

import (
	"context"
	"errors"
	"fmt"
	"io"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/transfer"
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
	x := &exporter{ctx: ctx, from: l.store, states: map[int64]*state{}, faults: map[int64][]Fault{}}
	if err := x.check(l); err != nil {
		return x.saved, err
	}
	records, err := x.from.Records(ctx)
	if err != nil {
		return x.saved, err
	}
	if x.out, err = transfer.NewWriter(to); err != nil {
		return x.saved, err
	}
	for _, r := range records {
		if err := x.record(&r); err != nil {
			return x.saved, err
		}
		x.saved.Records++
	}
	err = x.out.End(x.saved.Records)
	x.saved.Lines = x.out.Lines
	return x.saved, err
}

// exporter writes one export.
type exporter struct {
	ctx    context.Context
	out    *transfer.Writer
	from   store.Reader
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
		x.lost("the ledger is damaged; what could be read may be incomplete or wrong")
		if s, is := l.store.(store.Salvager); is {
			x.from = s.Salvage(x.lost)
		}
	}
	return nil
}

func (x *exporter) lost(what string) { x.saved.Lost = append(x.saved.Lost, what) }

// record writes a record.
func (x *exporter) record(r *store.RecordRow) error {
	volumes, err := x.from.Volumes(x.ctx, r.Place)
	if err != nil && !errors.Is(err, ErrDamaged) {
		return err
	}
	if err := x.out.Record(r, volumes); err != nil {
		return err
	}
	problems, err := x.from.Problems(x.ctx, r.Number)
	if err != nil && !errors.Is(err, ErrDamaged) {
		return err
	}
	for _, p := range problems {
		if err := x.out.Problem(p); err != nil {
			return err
		}
	}
	faults := x.faults[r.Number]
	if x.broken {
		faults = []Fault{{Record: r.Number, What: "the ledger is damaged"}}
	}
	for _, f := range faults {
		if !x.broken {
			x.lost(fmt.Sprintf("record %d, %q: %s", f.Record, f.Path, f.What))
		}
		if err := x.out.Lost(f.Path, f.What); err != nil {
			return err
		}
	}
	s := x.states[r.Place]
	if s == nil {
		s, err = loadRange(x.ctx, x.from, store.All(r.Place))
		if errors.Is(err, ErrDamaged) {
			x.lost(fmt.Sprintf("all that is in %q: %s", r.Path, err))
			s, err = &state{}, x.out.Lost("", err.Error())
		}
		if err != nil {
			return err
		}
		x.states[r.Place] = s
	}
	for id := range s.folders {
		for _, at := range s.folders[id].deltas {
			if s.recordOf(at) != r.Number {
				continue
			}
			if err := x.delta(s, uint64(id), at, r.Number); err != nil {
				return err
			}
		}
	}
	return nil
}

// delta writes what a record says of a folder.
func (x *exporter) delta(s *state, id uint64, at deltaAt, record int64) error {
	folder, known := s.path(id)
	if !known {
		x.lost(fmt.Sprintf("record %d: a folder whose name is lost", record))
		return nil
	}
	d, err := s.delta(x.ctx, x.from, at, true)
	var list []encoding.Recorded
	if err == nil {
		list, err = encoding.Unpack(nil, d)
	}
	if errors.Is(err, ErrDamaged) {
		x.lost(fmt.Sprintf("record %d: what is in the folder %q", record, folder))
		return x.out.Lost(folder, err.Error())
	}
	if err != nil {
		return err
	}
	for i := range list {
		if err := x.out.Entry(pathIn(folder, list[i].Entry.Name), &list[i]); err != nil {
			return err
		}
	}
	return x.ctx.Err()
}
