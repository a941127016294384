package upkeep

import (
	"context"
	"errors"
	"fmt"
	"io"

	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/replay"
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
func Export(ctx context.Context, l *ledger.Ledger, to io.Writer) (Saved, error) {
	x := &exporter{ctx: ctx, from: l.Store, states: map[int64]*replay.State{}, faults: map[int64][]Fault{}}
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
	states map[int64]*replay.State // by place
	faults map[int64][]Fault
	broken bool // nothing can be vouched for
	saved  Saved
}

// check finds out what is wrong with the ledger, so that it is said of each record
// that it may not be as it was. What the store cannot read in the usual way is
// read bit by bit.
func (x *exporter) check(l *ledger.Ledger) error {
	faults, err := Check(x.ctx, l)
	if err != nil && !errors.Is(err, ledger.ErrDamaged) {
		return err
	}
	for _, f := range faults {
		x.broken = x.broken || f.Record == 0
		x.faults[f.Record] = append(x.faults[f.Record], f)
	}
	if x.broken = x.broken || err != nil; x.broken {
		x.lost("the ledger is damaged; what could be read may be incomplete or wrong")
		x.from = l.Store.Salvage(x.lost)
	}
	return nil
}

func (x *exporter) lost(what string) { x.saved.Lost = append(x.saved.Lost, what) }

// record writes a record.
func (x *exporter) record(r *store.RecordRow) error {
	volumes, err := x.from.Volumes(x.ctx, r.Place)
	if err != nil && !errors.Is(err, ledger.ErrDamaged) {
		return err
	}
	if err := x.out.Record(r, volumes); err != nil {
		return err
	}
	problems, err := x.from.Problems(x.ctx, r.Number)
	if err != nil && !errors.Is(err, ledger.ErrDamaged) {
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
		s, err = replay.LoadRange(x.ctx, x.from, store.All(r.Place))
		if errors.Is(err, ledger.ErrDamaged) {
			x.lost(fmt.Sprintf("all that is in %q: %s", r.Path, err))
			s, err = &replay.State{}, x.out.Lost("", err.Error())
		}
		if err != nil {
			return err
		}
		x.states[r.Place] = s
	}
	return s.EachDelta(x.ctx, x.from, r.Number, func(id uint64, d encoding.Delta, err error) error {
		return x.delta(s, id, r.Number, d, err)
	})
}

// delta writes what a record says of a folder, unless that could not be read.
func (x *exporter) delta(s *replay.State, id uint64, record int64, d encoding.Delta, err error) error {
	folder, known := s.Path(id)
	if !known {
		x.lost(fmt.Sprintf("record %d: a folder whose name is lost", record))
		return nil
	}
	var list []encoding.Recorded
	if err == nil {
		list, err = encoding.Unpack(nil, d)
	}
	if errors.Is(err, ledger.ErrDamaged) {
		x.lost(fmt.Sprintf("record %d: what is in the folder %q", record, folder))
		return x.out.Lost(folder, err.Error())
	}
	if err != nil {
		return err
	}
	for i := range list {
		if err := x.out.Entry(replay.JoinPath(folder, list[i].Entry.Name), &list[i]); err != nil {
			return err
		}
	}
	return x.ctx.Err()
}
