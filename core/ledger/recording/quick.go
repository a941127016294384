package recording

import (
	"cmp"
	"context"
	"encoding/binary"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// coarse is how much later something can have changed without another time, at most.
const coarse = 2 * time.Second

// earlierOf returns what a record can take over; nil if the last record of its place
// was made on other terms, or if there is none.
func earlierOf(ctx context.Context, l *ledger.Ledger, r ledger.Record, snapshot *Snapshot) (*earlier, error) {
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	q := &earlier{ctx: ctx, from: l.Store, snapshot: snapshot, records: ledger.OfPlace(records, r.Host, r.Place), troubled: map[string]bool{},
		ids: map[*entry.Folder]uint64{}, folders: map[uint64][]encoding.Recorded{}, kept: map[*entry.Folder]uint64{}}
	if len(q.records) == 0 {
		return nil, nil
	}
	if q.standing, err = ledger.StandingOf(ctx, l.Store, q.records); err != nil {
		return nil, err
	}
	last := q.records[len(q.records)-1]
	now, before := r.Terms, last.Terms
	now.Quick, before.Quick = false, false
	if !now.Whole() || now.String() != before.String() {
		return nil, nil
	}
	q.settled = entry.TimeOf(last.Taken.Add(-coarse))
	problems, err := l.Store.Problems(ctx, last.Number)
	if err != nil {
		return nil, err
	}
	for _, p := range problems {
		q.troubled[p.Path] = true
		above, _ := path.Split(p.Path)
		q.troubled[strings.TrimSuffix(above, "/")] = true
	}
	if q.state, err = replay.Load(ctx, l.Store, last.PlaceNumber, last.Number); err != nil {
		return nil, err
	}
	content, err := l.Store.Stamps(ctx, last.PlaceNumber, last.Number)
	if err != nil {
		return nil, err
	}
	if len(content) >= 8*q.state.Len() && canStamp(last.Terms) {
		q.stamps, q.below = make([]uint64, q.state.Len()), map[uint64][]uint64{}
		for id := range q.stamps {
			q.stamps[id] = binary.LittleEndian.Uint64(content[8*id:])
			if f := q.state.Folder(uint64(id)); f != nil && q.stamps[id] != 0 && id != encoding.Root {
				q.below[f.Parent] = append(q.below[f.Parent], uint64(id))
			}
		}
		return q, nil
	}
	q.parents = make([]bool, q.state.Len())
	for id := range uint64(len(q.parents)) {
		if f := q.state.Folder(id); f != nil && f.Parent < uint64(len(q.parents)) {
			q.parents[f.Parent] = true
		}
	}
	return q, nil
}

// stands reports whether all is there that it was made from: others may have dropped some of it.
func (q *earlier) stands(ctx context.Context, from store.Reader) (bool, error) {
	records, err := ledger.RecordsIn(ctx, from)
	if err != nil {
		return false, err
	}
	last := &q.records[len(q.records)-1]
	now, err := ledger.StandingOf(ctx, from, ledger.OfPlace(records, last.Host, last.Place))
	return q.standsIn(now), err
}

func (q *earlier) standsIn(now ledger.Standing) bool {
	for _, one := range q.standing {
		if !slices.Contains(now, one) {
			return false
		}
	}
	return true
}

// Unchanged implements source.Earlier.
func (q *earlier) Unchanged(folder *entry.Folder, now *entry.Entry) (inside []string, unchanged bool) {
	probe := entry.Entry{Folder: folder.Parent, Name: folder.Name, Device: now.Device}
	if folder.Parent == nil {
		probe.Folder, probe.Self = folder, true
	}
	device := q.snapshot.device(&probe)
	id, above := q.locate(folder)
	if id == 0 || q.inTrouble(folder) {
		return nil, false
	}
	if now.Kind != entry.KindFolder || now.Modified.Compare(q.settled) >= 0 || now.Changed.Compare(q.settled) >= 0 {
		return nil, false
	}
	if q.stamps != nil {
		as := *now
		as.Device = device
		if q.stamps[id] != stampOf(&as) {
			return nil, false
		}
		for _, below := range q.below[id] {
			inside = append(inside, q.state.Folder(below).Name)
		}
		return inside, true
	}
	then := &q.records[len(q.records)-1].Self
	if folder.Parent != nil {
		in := q.foldersIn(above)
		at, there := encoding.Find(in, folder.Name)
		if !there || !in[at].Entered {
			return nil, false
		}
		then = &in[at].Entry
	}
	if !then.Known.Has(entry.FactStatus) || then.Inode != now.Inode || then.Device != device || then.Modified != now.Modified || then.Changed != now.Changed {
		return nil, false
	}
	terms := &q.records[len(q.records)-1].Terms
	if q.parents[id] || len(terms.Skip) > 0 || terms.SameDisk {
		for _, in := range q.foldersIn(id) {
			inside = append(inside, in.Entry.Name)
		}
	}
	return inside, true
}

// inTrouble reports whether not all in a folder could be looked at.
func (q *earlier) inTrouble(folder *entry.Folder) bool {
	if len(q.troubled) == 0 {
		return false
	}
	below := strings.TrimPrefix(folder.Path(), strings.TrimSuffix(folder.Place.Given, "/"))
	return q.troubled[strings.TrimPrefix(below, "/")]
}

// locate returns the number that a folder has in the ledger, 0 if it has none, and that of
// the one it lies in.
func (q *earlier) locate(folder *entry.Folder) (id, above uint64) {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.number(folder), q.number(folder.Parent)
}

func (q *earlier) number(folder *entry.Folder) uint64 {
	if folder == nil {
		return 0
	}
	id, known := q.ids[folder]
	if !known {
		id = encoding.Root
		if folder.Parent != nil {
			id = q.state.Inside(q.number(folder.Parent), folder.Name)
		}
		q.ids[folder] = id
	}
	return id
}

// foldersIn returns the folders that were in a folder.
func (q *earlier) foldersIn(id uint64) []encoding.Recorded {
	q.mu.Lock()
	in, known := q.folders[id]
	q.mu.Unlock()
	if known || !q.state.Known(id) {
		return in
	}
	err := q.state.Each(q.ctx, q.from, id, func(k *encoding.Recorded) {
		if k.Entry.Kind == entry.KindFolder {
			own := *k
			own.Entry = k.Entry.Keep()
			in = append(in, own)
		}
	})
	q.mu.Lock()
	defer q.mu.Unlock()
	if err != nil && q.err == nil {
		q.err = err
	}
	q.folders[id] = in
	return in
}

// Keep implements source.Earlier.
func (q *earlier) Keep(folder *entry.Folder) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.kept[folder] = q.number(folder)
}

// settle holds the folders in one that is taken over, as they are now, against what they were.
// If one is different, the folder is packed anew.
func (q *earlier) settle(l *tree) error {
	f := q.state.Folder(l.kept)
	if f == nil {
		return replay.ErrNumber
	}
	if q.areBelow(l) {
		l.delta, l.Plain = encoding.Delta{}, f.Plain
		return nil
	}
	now, err := encoding.Unpack(nil, l.delta)
	if err != nil {
		return err
	}
	before := q.foldersIn(l.kept)
	if q.err != nil {
		return q.err
	}
	same := len(before) == len(now)
	for i := 0; same && i < len(now); i++ {
		same = before[i].Entry.Name == now[i].Entry.Name && before[i].Same(&now[i])
	}
	if l.delta, l.Plain = (encoding.Delta{}), f.Plain; same {
		return nil
	}
	held, err := q.held(q.from, l.kept)
	if err != nil {
		return err
	}
	all := make([]encoding.Recorded, 0, len(held)+len(now))
	for i := range held {
		if held[i].Entry.Kind == entry.KindFolder {
			continue
		}
		for len(now) > 0 && now[0].Entry.Name < held[i].Entry.Name {
			all, now = append(all, now[0]), now[1:]
		}
		all = append(all, held[i])
	}
	l.pack(append(all, now...))
	l.count = len(all) + len(now)
	q.mu.Lock()
	q.patched = true
	q.mu.Unlock()
	return nil
}

// areBelow reports whether the folders in one are those that were there, as they were: of
// these nothing is different but when they were last read.
func (q *earlier) areBelow(l *tree) bool {
	if q.stamps == nil || len(l.below) != len(q.below[l.kept]) {
		return false
	}
	for _, below := range l.below {
		id := q.state.Inside(l.kept, below.folder.Name)
		if id == 0 || q.stamps[id] != below.stamp {
			return false
		}
	}
	return true
}

// setStamps keeps the stamps of the folders of the record.
func (w *writer) setStamps(u store.Update) error {
	if !w.stamped || !canStamp(w.record.Terms) || w.record.Self.Kind == 0 {
		return nil
	}
	w.root.stamp = stampOf(&w.record.Self)
	content := make([]byte, 8*(w.last+1))
	w.root.each(func(l *tree) error {
		if l.unsure {
			l.stamp = neverAgain
		}
		binary.LittleEndian.PutUint64(content[8*l.id:], l.stamp)
		return nil
	})
	return u.SetStamps(w.ctx, w.record.PlaceNumber, w.record.Number, content)
}

// held returns what was in a folder, without digests: those are carried over as always.
func (q *earlier) held(from store.Reader, id uint64) ([]encoding.Recorded, error) {
	held, err := q.state.Held(q.ctx, from, id)
	for i := range held {
		if e := &held[i].Entry; e.Known&entry.FactDigests != 0 {
			e.More.Digests = nil
			e.Known &^= entry.FactDigests
		}
	}
	return held, err
}

// content returns the entries of a folder, packed.
func (w *writer) content(from store.Reader, l *tree) (encoding.Delta, error) {
	if l.kept == 0 {
		return l.delta, nil
	}
	held, err := w.earlier.held(from, l.kept)
	if err != nil {
		return encoding.Delta{}, err
	}
	d, _ := encoding.PackFolder(held)
	return d, nil
}

// unpack appends the entries of a folder.
func (w *writer) unpack(entries []encoding.Recorded, from store.Reader, l *tree) ([]encoding.Recorded, error) {
	d, err := w.content(from, l)
	if err != nil {
		return entries, err
	}
	return encoding.Unpack(entries, d)
}

// countKept counts what is in folders that were taken over.
func (w *writer) countKept(content *sums.Counting, all seen) error {
	var list []*tree
	w.root.each(func(l *tree) error {
		list = append(list, l)
		return nil
	})
	q := w.earlier
	if last := &q.records[len(q.records)-1]; !q.patched && len(list) == len(q.kept) {
		r := &w.record
		r.Entries, r.Bytes, r.Unsized, r.Looked, r.Hidden, r.Counted = last.Entries, last.Bytes, last.Unsized, last.Looked, last.Hidden, last.Counted
		return nil
	}
	var mu sync.Mutex
	err := onAllCores(len(list), func(i int, room []encoding.Recorded) ([]encoding.Recorded, error) {
		l := list[i]
		id, kept := q.kept[l.folder]
		if !kept {
			return room, nil
		}
		var own sums.Counting
		var ownSeen seen
		entries := int64(0)
		err := q.state.Each(q.ctx, q.from, id, func(k *encoding.Recorded) {
			e := &k.Entry
			if e.Kind == entry.KindFolder { // counted as it is now
				return
			}
			e.Folder = l.folder
			entries++
			own.Count(e)
			ownSeen.count(e, l.folder.Hidden)
		})
		mu.Lock()
		defer mu.Unlock()
		w.record.Entries += entries
		content.Join(&own)
		all.looked, all.hidden, all.unsure = all.looked+ownSeen.looked, all.hidden+ownSeen.hidden, all.unsure || ownSeen.unsure
		return room, cmp.Or(err, q.ctx.Err())
	})
	tell(&w.record, content.Sum())
	tellSeen(&w.record, all)
	return err
}

var _ source.Earlier = (*earlier)(nil)
