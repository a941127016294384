package recording

import (
	"errors"
	"slices"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
)

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

var errEndless = errors.New("the system makes its content while it is read, and it may never end")

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
