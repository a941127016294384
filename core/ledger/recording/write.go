package recording

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/volume"
)

// Take reads what is to be recorded of the one place of a set, and packs it. There is no
// snapshot if the error is of the ledger.
func Take(ctx context.Context, l *ledger.Ledger, from *source.Set, request source.Request, r ledger.Record) (*Snapshot, source.Report, error) {
	volumes, err := l.Volumes(ctx, r.Host, r.Place)
	if err != nil {
		return nil, source.Report{}, err
	}
	request.Facts = entry.FactStatus | entry.FactCreated | entry.FactTarget
	if r.Terms.Attributes {
		request.Facts |= entry.FactXattrs | entry.FactFlags
	}
	request.Condition, request.Self = WithFolders(request.Condition), true
	for tries := 0; ; tries++ {
		snapshot := NewSnapshot(from.Sources[0].Place())
		snapshot.Recognise(volumes, func(e *entry.Entry) string { return volume.IDAt(e.FullPath()) })
		request.Earlier = nil
		if r.Terms.Quick && tries < 3 { // else what it looks at is dropped time and again
			if err := ledger.Retry(ctx, func() (err error) {
				l.Hold()
				snapshot.earlier, err = earlierOf(ctx, l, r, snapshot)
				return err
			}); err != nil {
				return nil, source.Report{}, err
			}
			if snapshot.earlier != nil {
				request.Earlier = snapshot.earlier
			}
		}
		if snapshot.earlier == nil || snapshot.earlier.stamps != nil { // else it looks at what was recorded all the time
			l.Store.Release() // the reading may take long
		}
		report, err := from.Read(ctx, request, snapshot)
		if snapshot.earlier == nil || err != nil {
			return snapshot, report, err
		}
		if snapshot.earlier.err != nil {
			return snapshot, report, snapshot.earlier.err
		}
		var stands bool
		if err := ledger.Retry(ctx, func() (err error) {
			l.Hold()
			stands, err = snapshot.earlier.stands(ctx, l.Store)
			return err
		}); err != nil {
			return nil, source.Report{}, err
		}
		if stands {
			return snapshot, report, nil
		}
	}
}

// Write writes a record down: all that was taken of a place, and what could not
// be read. It returns the record with its number, and what is different from
// what was recorded of the place before.
//
// The digests of files are carried over from the record before, where size,
// inode and the times modified and changed are the same.
func Write(ctx context.Context, l *ledger.Ledger, r ledger.Record, taken *Snapshot, report source.Report, o Options) (ledger.Record, Changes, error) {
	w := &writer{ctx: ctx, record: r, options: o, given: taken.place.Given, problems: report.Problems, volumes: taken.volumes, earlier: taken.earlier, quick: r.Terms.Quick, stamped: true}
	w.record.Terms.Quick = w.earlier != nil // else everything was read
	var content sums.Counting
	var all seen
	for _, p := range taken.parts.All() {
		w.record.Entries += p.entries
		content.Join(&p.content)
		all.looked, all.hidden, all.unsure = all.looked+p.seen.looked, all.hidden+p.seen.hidden, all.unsure || p.seen.unsure
		if p.self.Kind != 0 {
			w.record.Self = p.self
		}
	}
	var err error
	if w.root, err = taken.tree(); err != nil {
		return r, Changes{}, err
	}
	tell(&w.record, content.Sum())
	tellSeen(&w.record, all)
	if w.earlier != nil {
		if err := w.countKept(&content, all); err != nil {
			return r, Changes{}, err
		}
	}
	return carryOut(l, w)
}

// carryOut prepares a record and writes it, and does so again where another program was faster.
//
// Files may take hours to read. So at first nothing is held, neither a moment nor a connection: that what
// was prepared still fits is made sure of when it is written. From then on, what is prepared is of one
// moment.
func carryOut(l *ledger.Ledger, w *writer) (ledger.Record, Changes, error) {
	ctx, r := w.ctx, w.record
	w.release = l.Store.Release
	var tries ledger.Retries
	for held := false; ; {
		w.record.Number = r.Number // not one that it was given in vain: others may have come after that
		if held {
			l.Hold()
		}
		err := w.prepare(l.Store)
		if tries.Another(ctx, err) {
			continue
		}
		if errors.Is(err, ledger.ErrDamaged) {
			over, unknown := w.overtaken(l.Store)
			if over || !held && unknown == nil || tries.Another(ctx, unknown) { // what it looked for was dropped, perhaps while it read
				held = true
				continue
			}
			err = cmp.Or(unknown, err)
		}
		held = true
		if err != nil {
			return r, Changes{}, err
		}
		if err = l.Reserve(ctx, r.Host); err == nil {
			err = l.Store.Update(ctx, w.write)
		}
		if tries.Another(ctx, err) {
			continue
		}
		if !errors.Is(err, errOvertaken) {
			return w.record, w.changes, err
		}
	}
}

// errOvertaken is returned if another program has written a record of the place
// in the meantime.
var errOvertaken = errors.New("overtaken")

// overtaken reports whether the records of the place are others than when they were
// read.
func (w *writer) overtaken(from store.Reader) (bool, error) {
	records, err := w.recordsIn(from)
	if err != nil {
		return false, err
	}
	now, err := ledger.StandingOf(w.ctx, from, ledger.OfPlace(records, w.record.Host, w.record.Place))
	return err == nil && !slices.Equal(now, w.standing), err
}

// recordsIn returns all records of a store.
func (w *writer) recordsIn(from store.Reader) ([]ledger.Record, error) {
	if w.all != nil {
		return w.all, nil
	}
	return ledger.RecordsIn(w.ctx, from)
}

// prepare does what can be done while others may still write: it reads what
// there is of the place, takes digests, and hashes.
func (w *writer) prepare(from store.Reader) error {
	records, err := w.recordsIn(from)
	if err != nil {
		return err
	}
	w.records, w.before = ledger.OfPlace(records, w.record.Host, w.record.Place), replay.NewState(0)
	if w.standing, err = ledger.StandingOf(w.ctx, from, w.records); err != nil {
		return err
	}
	if w.reread == nil {
		w.mismatches = nil
	}
	if w.earlier != nil && !w.earlier.standsIn(w.standing) {
		return store.ErrChanged
	}
	w.changes, w.moves = Changes{First: len(w.records) == 0, Quick: w.quick}, moves{}
	w.changes.find(w.records, &w.record)
	if w.earlier != nil {
		w.changes.Kept = int64(len(w.earlier.kept))
	}
	switch {
	case w.changes.First:
	case w.earlier != nil && slices.Equal(w.standing, w.earlier.standing):
		w.before = w.earlier.state
	default:
		if w.before, err = replay.Load(w.ctx, from, w.records[0].PlaceNumber, w.records[len(w.records)-1].Number); err != nil {
			return err
		}
	}
	w.number(w.root, encoding.Root)
	if !w.ready {
		if err := w.digests(from); err != nil {
			return err
		}
		if err := w.readAgain(from); err != nil {
			return err
		}
		for _, m := range w.mismatches {
			w.changes.Unexplained = append(w.changes.Unexplained, m.Path)
		}
	}
	w.root.hashAll()
	w.record.Tree = w.root.hash
	return w.diffAll(from)
}

// number gives a folder, and those in it, the numbers they had before; 0 if they
// had none.
func (w *writer) number(l *tree, id uint64) {
	l.id = 0
	if w.before.Known(id) {
		l.id = id
	}
	for _, below := range l.below {
		w.number(below, w.before.Inside(l.id, below.folder.Name))
	}
}

// write writes everything, or returns errOvertaken.
func (w *writer) write(u store.Update) error {
	records, err := w.recordsIn(u)
	if err != nil {
		return err
	}
	now, err := ledger.StandingOf(w.ctx, u, ledger.OfPlace(records, w.record.Host, w.record.Place))
	if err != nil {
		return err
	}
	if !slices.Equal(now, w.standing) {
		return errOvertaken
	}
	w.update = u
	r := &w.record
	if err := ledger.LabelTaken(records, *r); err != nil && !w.options.MoveLabel {
		return err
	}
	if w.turn == 0 { // else it was made elsewhere
		r.Turn = ledger.TurnAfter(records, r, w.options.After)
	}
	if r.Number, r.PlaceNumber, err = u.AddRecord(w.ctx, r.Row()); err != nil {
		return err
	}
	for _, id := range slices.Sorted(maps.Keys(w.volumes)) {
		if err := u.AddVolume(w.ctx, r.PlaceNumber, id, w.volumes[id]); err != nil {
			return err
		}
	}
	w.segments = encoding.SegmentWriter{Write: AddTo(u, *r)}
	w.last = max(encoding.Root, uint64(w.before.Len())-1)
	if err := w.folder(w.root, encoding.Root, 0, !w.changes.First); err != nil {
		return err
	}
	if err := w.segments.Flush(w.ctx); err != nil {
		return err
	}
	if err := w.layIfDue(u); err != nil {
		return err
	}
	if err := w.setStamps(u); err != nil {
		return err
	}
	w.changes.countMoves(&w.moves)
	problems := w.problems
	if w.options.Pool != nil {
		problems = slices.Concat(problems, w.options.Pool.Problems())
	}
	for _, p := range problems {
		if rest, below := strings.CutPrefix(p.Path, strings.TrimSuffix(w.given, "/")); below && w.given != "" {
			p.Path = strings.TrimPrefix(rest, "/")
		}
		if err := u.AddProblem(w.ctx, r.Number, store.ProblemRow{Path: p.Path, Tried: p.Tried, Reason: p.Reason(), Entries: p.Entries, Vanished: p.Vanished}); err != nil {
			return err
		}
	}
	r.Problems = int64(len(problems))
	return w.watched(u)
}

// folder writes what is different in a folder, and in those below it, unless its
// tree hash says that nothing is. There reports whether it was there at the record
// before, as far as that tells.
func (w *writer) folder(l *tree, id, parent uint64, there bool) (err error) {
	if err := w.ctx.Err(); err != nil {
		return err
	}
	v := encoding.FolderVersion{Number: id, Contents: l.Contents, Tree: l.hash}
	var d encoding.Delta
	alike := there // the same folders are in it
	switch old := w.before.Folder(l.id); {
	case old == nil:
		v.Fresh, v.Parent, v.Name, v.HasDelta = true, parent, l.folder.Name, true
		if d, err = w.content(w.update, l); err != nil {
			return err
		}
	case old.Tree == l.hash && there:
		return nil
	case old.Tree == l.hash:
		return w.appeared(l)
	case l.diff != nil:
		v.HasDelta, alike, d = true, false, l.diff.delta
		if there {
			if err := w.count(l.diff, id); err != nil {
				return err
			}
		}
	}
	if !there {
		if err := w.appearedIn(l); err != nil {
			return err
		}
	}
	if err := w.segments.Add(w.ctx, &v, d); err != nil {
		return err
	}
	l.id = id
	for _, below := range l.below {
		name := below.folder.Name
		number := below.id
		if number == 0 {
			w.last++
			number = w.last
		}
		if err := w.folder(below, number, id, there && (alike || l.diff != nil && (l.diff.entered[name] || l.diff.unseen[name]))); err != nil {
			return err
		}
	}
	return nil
}
