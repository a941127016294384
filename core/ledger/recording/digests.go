package recording

import (
	"errors"
	"slices"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
)

// digests gives files digests: those of the record before, and where one is
// asked for, others that are taken now. A folder that is as it was, and has all
// that is asked for, is left alone.
func (w *writer) digests(from store.Reader) error {
	o := &w.options
	var todo []*digesting
	if err := w.root.each(func(l *tree) error {
		l.Full, l.Digested = l.packed.Full, l.packed.Digested // whatever another record before had
		old := w.before.Folder(l.id)
		same := old != nil && old.Plain == l.Plain
		switch {
		case l.fresh != nil: // read before another record came in between, and compared with that now
		case same && (o.Fact == 0 || !o.all() && old.Digested.Has(o.Fact)):
			l.Contents = old.Contents
			return nil
		case o.Fact == 0 && (old == nil || old.Full == encoding.Hash{}):
			return nil
		}
		d := &digesting{tree: l}
		todo = append(todo, d)
		if o.Fact == 0 {
			return nil
		}
		err := d.unpack(w, from) // to know how much there is to read
		for _, e := range d.read {
			o.Pool.Expect(e.Size)
		}
		l.count = len(d.now) // not known yet where the folder was taken over
		*d = digesting{tree: l}
		return err
	}); err != nil {
		return err
	}
	const most = 1 << 16 // entries unpacked at a time
	for len(todo) > 0 {
		n, entries := 0, 0
		for n < len(todo) && (n == 0 || entries+todo[n].tree.count <= most) {
			if err := todo[n].unpack(w, from); err != nil {
				return err
			}
			entries += len(todo[n].now)
			n++
		}
		if err := w.read(todo[:n]); err != nil {
			return err
		}
		clear(todo[:n])
		todo = todo[n:]
	}
	return nil
}

// digesting is a folder whose files are being given digests.
type digesting struct {
	tree  *tree
	now   []encoding.Recorded
	read  []*entry.Entry // files to be read
	at    []int          // which of the entries these are
	had   []string       // the digests of these so far; "" for none
	fresh []bool         // which entries have a digest that was taken for this record
	// How many had one already, and those of them whose content is another than it was.
	digested    int64
	unexplained []otherContent
}

// otherContent is a file that has other content than it had, and the digest of that.
type otherContent struct {
	now *entry.Entry
	had string
}

// all reports whether all files are read again.
func (o *Options) all() bool { return o.Recheck && o.Limit == nil }

// unpack unpacks the entries of the folder, carries over what is known of their
// content, and finds what has to be read.
func (d *digesting) unpack(w *writer, from store.Reader) (err error) {
	l, o := d.tree, &w.options
	if d.now, err = w.unpack(nil, from, l); err != nil {
		return err
	}
	var before []encoding.Recorded
	if old := w.before.Folder(l.id); old != nil && old.Full != (encoding.Hash{}) {
		if before, err = w.before.Held(w.ctx, from, l.id); err != nil {
			return err
		}
	}
	for i := range d.now {
		e := &d.now[i].Entry
		made := e.Marks&entry.MarkUnsized != 0 // as it is read: nothing tells that it is as before
		if !e.HasSize() && !made {
			continue
		}
		e.Folder = l.folder
		var old *entry.Entry
		if at, found := encoding.Find(before, e.Name); found {
			old = &before[at].Entry
		}
		if l.fresh != nil && l.fresh[i] {
			if made {
				old = nil
			}
			d.again(w.options.Fact, old, e)
			continue
		}
		if l.fresh != nil && e.More != nil { // carried over from a record that is not the last any more
			e.More.Digests = nil
			e.Known &^= entry.FactDigests
		}
		if old != nil && !made {
			carry(old, e)
		}
		if o.Fact != 0 && made && e.Size > mostMade {
			o.Pool.Note(source.Problem{Path: e.Path(), Tried: "read", Err: errEndless, Entries: 1})
			continue
		}
		if o.Fact == 0 || e.Known.Has(o.Fact) && !o.all() {
			continue
		}
		had := ""
		if e.Known.Has(o.Fact) {
			had = e.More.Digests.Sum(o.Fact)
			e.More.Digests = nil // those by others may be as wrong
			e.Known &^= entry.FactDigests
		}
		d.read, d.at, d.had = append(d.read, e), append(d.at, i), append(d.had, had)
	}
	d.fresh = l.fresh
	return nil
}

// mostMade is the size that a file whose content is made as it is read may tell to be read: what
// tells more stands for memory, or devices.
const mostMade = 1 << 20

var errEndless = errors.New("the system makes it up as it is read, and it may have no end")

// again counts a file whose digest was taken for this record already, and holds it
// against the one before.
func (d *digesting) again(fact entry.Facts, before, now *entry.Entry) {
	d.digested++
	if before != nil && isAsBefore(before, now) && before.Known.Has(fact) && before.More.Digests.Sum(fact) != now.More.Digests.Sum(fact) {
		d.unexplained = append(d.unexplained, otherContent{now, before.More.Digests.Sum(fact)})
	}
}

// isAsBefore reports whether nothing about a file says that it has changed.
func isAsBefore(before, now *entry.Entry) bool {
	return before.Kind == entry.KindFile && before.Size == now.Size && before.Inode == now.Inode && before.Modified == now.Modified && before.Changed == now.Changed
}

// carry gives a file the digests it had, if nothing about it has changed.
func carry(before, now *entry.Entry) {
	if !isAsBefore(before, now) || before.Known&entry.FactDigests == 0 || now.Known&entry.FactDigests != 0 {
		return
	}
	if now.More == nil {
		now.More = &entry.More{}
	}
	now.More.Digests = slices.Clone(before.More.Digests)
	now.Known |= before.Known & entry.FactDigests
}

// letGo lets go of the store while files are read.
func (w *writer) letGo() {
	if w.release != nil {
		w.release()
	}
}

// read reads what has to be read, and packs the folders again.
func (w *writer) read(folders []*digesting) error {
	fact := w.options.Fact
	var files []*entry.Entry
	for _, d := range folders {
		files = append(files, d.read...)
	}
	if len(files) > 0 {
		w.letGo()
		if err := w.options.Pool.Digest(w.ctx, files, fact); err != nil {
			return err
		}
	}
	for _, d := range folders {
		w.changes.Digested += d.digested
		for _, u := range d.unexplained {
			w.differs(u.now, u.had)
		}
		if d.fresh == nil && len(d.read) > 0 {
			d.fresh = make([]bool, len(d.now))
		}
		for i, e := range d.read {
			if !e.Known.Has(fact) {
				w.changes.Missing++
				continue
			}
			d.fresh[d.at[i]] = true
			w.changes.Digested++
			if d.had[i] != "" && d.had[i] != e.More.Digests.Sum(fact) {
				w.differs(e, d.had[i])
			}
		}
		d.tree.pack(d.now)
		d.tree.fresh = d.fresh
	}
	return nil
}
