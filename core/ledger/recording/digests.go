package recording

import (
	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
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

// all reports whether all files are read again.
func (o *Options) all() bool { return o.Recheck && o.Limit == nil }

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
