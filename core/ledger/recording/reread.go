package recording

import (
	"cmp"
	"slices"
	"time"

	"github.com/zeebo/blake3"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/quantity"
)

// Content that nothing says has changed may have: a disk fails silently, or somebody sets
// times back. So files are read again, all of them or, night by night, some. The order is
// one that stays the same, by a hash of the paths, and each time it goes on where the last
// one ended: so those come first that were not read for longest.

// turn is where a path comes in the order: a number of 63 bits.
func turn(rel string) int64 {
	sum := blake3.Sum256([]byte(rel))
	n := int64(0)
	for _, b := range sum[:8] {
		n = n<<8 | int64(b)
	}
	return n & (1<<63 - 1)
}

// candidate is a file that may be read again.
type candidate struct {
	tree *tree
	at   int // of its entry
	turn int64
	size int64
}

// readAgain reads some files again whose digests were carried over, and gives those that
// are not what they were their digests. Later, when another program wrote a record in
// between, it only does the latter.
func (w *writer) readAgain(from store.Reader) error {
	if w.options.Limit == nil || !w.options.Recheck || w.options.Fact == 0 {
		return nil
	}
	if w.reread == nil {
		if err := w.readSome(from); err != nil {
			return err
		}
	}
	byTree := map[*tree][]unlike{}
	for _, u := range w.unlike {
		byTree[u.tree] = append(byTree[u.tree], u)
	}
	for l, list := range byTree {
		d := &digesting{tree: l}
		if err := d.unpack(w, from); err != nil {
			return err
		}
		if d.fresh == nil {
			d.fresh = make([]bool, len(d.now))
		}
		for _, u := range list {
			if at, found := encoding.Find(d.now, u.name); found {
				e := &d.now[at].Entry
				more := entry.More{}
				if e.More != nil {
					more = *e.More
				}
				more.Digests, e.More = u.sums, &more
				e.Known = e.Known&^entry.FactDigests | w.options.Fact // those by others may be as wrong
				d.fresh[at] = true
			}
		}
		l.pack(d.now)
		l.fresh = d.fresh
	}
	return nil
}

// entriesOf returns the entries of a folder with the digests that it has by now.
func (w *writer) entriesOf(from store.Reader, l *tree) ([]encoding.Recorded, error) {
	now, err := w.unpack(nil, from, l)
	if err != nil || l.fresh != nil {
		return now, err
	}
	d := &digesting{tree: l}
	err = d.unpack(w, from)
	return d.now, err
}

// readSome chooses files and reads them.
func (w *writer) readSome(from store.Reader) error {
	o := &w.options
	var candidates []candidate
	total := int64(0)
	if err := w.root.each(func(l *tree) error {
		entries, err := w.entriesOf(from, l)
		if err != nil {
			return err
		}
		for i := range entries {
			e := &entries[i].Entry
			if e.HasSize() && e.Known.Has(o.Fact) && (l.fresh == nil || !l.fresh[i]) {
				e.Folder = l.folder
				candidates = append(candidates, candidate{l, i, turn(e.Relative()), e.Size})
			}
			if e.HasSize() {
				total = quantity.Add(total, e.Size)
			}
		}
		return nil
	}); err != nil {
		return err
	}
	cursor, err := w.cursor(from)
	if err != nil {
		return err
	}
	slices.SortFunc(candidates, func(a, b candidate) int {
		return cmp.Or(cmp.Compare((a.turn-cursor)&(1<<63-1), (b.turn-cursor)&(1<<63-1)), cmp.Compare(a.at, b.at))
	})
	pass := &store.RereadRow{Taken: w.record.Taken, From: cursor, To: cursor}
	begun := time.Now()
	for len(candidates) > 0 {
		if o.Limit.For > 0 && time.Since(begun) >= o.Limit.For || o.Limit.Share > 0 && float64(pass.Bytes) >= o.Limit.Share*float64(total) {
			break
		}
		const mostBytes, mostFiles = 64 << 20, 1024
		n, size := 0, int64(0)
		for n < len(candidates) && n < mostFiles && (n == 0 || size < mostBytes) &&
			(n == 0 || o.Limit.Share <= 0 || float64(quantity.Add(pass.Bytes, size)) < o.Limit.Share*float64(total)) {
			size = quantity.Add(size, candidates[n].size)
			n++
		}
		if err := w.readBatch(from, candidates[:n]); err != nil {
			return err
		}
		pass.Files += int64(n)
		pass.Bytes = quantity.Add(pass.Bytes, size)
		candidates = candidates[n:]
	}
	if pass.Whole = len(candidates) == 0; !pass.Whole {
		pass.To = candidates[0].turn
	}
	w.reread = pass
	return nil
}

// cursor returns where the last pass ended.
func (w *writer) cursor(from store.Reader) (int64, error) {
	if len(w.records) == 0 {
		return 0, nil
	}
	rows, err := from.Rereads(w.ctx, w.records[0].PlaceNumber)
	for _, row := range slices.Backward(rows) {
		if !row.Whole {
			return row.To, err
		}
	}
	return 0, err
}

// readBatch reads some files, and notes those that are not what they were.
func (w *writer) readBatch(from store.Reader, batch []candidate) error {
	batch = slices.Clone(batch)
	byTree := map[*tree][]candidate{}
	for _, c := range batch {
		byTree[c.tree] = append(byTree[c.tree], c)
	}
	var files []*entry.Entry
	var of []candidate
	var had []string
	for l, list := range byTree {
		entries, err := w.entriesOf(from, l)
		if err != nil {
			return err
		}
		for _, c := range list {
			e := &entries[c.at].Entry
			e.Folder = l.folder
			had = append(had, e.More.Digests.Sum(w.options.Fact))
			e.More = &entry.More{}
			e.Known &^= entry.FactDigests
			files, of = append(files, e), append(of, c)
		}
	}
	w.letGo()
	if err := w.options.Pool.Digest(w.ctx, files, w.options.Fact); err != nil {
		return err
	}
	for i, e := range files {
		if e.Known.Has(w.options.Fact) && e.More.Digests.Sum(w.options.Fact) != had[i] {
			w.unlike = append(w.unlike, unlike{of[i].tree, e.Name, e.More.Digests})
			w.differs(e, had[i])
		}
	}
	return nil
}

// differs notes that the content of a file is not what it was.
func (w *writer) differs(e *entry.Entry, had string) {
	fact := w.options.Fact
	at := slices.IndexFunc(entry.Algorithms, func(a entry.Algorithm) bool { return a.Fact == fact })
	w.mismatches = append(w.mismatches, store.MismatchRow{Path: e.Relative(), Found: w.record.Taken, Algorithm: entry.Algorithms[at].Name,
		Before: []byte(had), Now: []byte(e.More.Digests.Sum(fact))})
}

// watched writes what was read again, and what was found.
func (w *writer) watched(u store.Update) error {
	pass := w.reread
	if w.options.Recheck && w.options.Limit == nil && w.options.Fact != 0 {
		pass = &store.RereadRow{Taken: w.record.Taken, Whole: true, Files: w.changes.Digested}
	}
	if pass != nil {
		if err := u.AddReread(w.ctx, w.record.PlaceNumber, *pass); err != nil {
			return err
		}
		w.changes.Reread = pass.Files
	}
	for _, m := range w.mismatches {
		m.Record = w.record.Number
		if err := u.AddMismatch(w.ctx, w.record.PlaceNumber, m); err != nil {
			return err
		}
	}
	return nil
}
