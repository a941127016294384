package recording

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// Folders are what a place holds at a record that was made elsewhere, folder by folder. Entries
// are packed, so that millions take little room.
type Folders struct {
	held    map[string]*heldFolder // by path
	lately  []*heldFolder          // those that lines were read of
	waiting int                    // these lines
}

// NewFolders returns those of an empty place.
func NewFolders() *Folders { return &Folders{held: map[string]*heldFolder{"": {}}} }

// heldFolder is what a folder holds, and lines that change it.
type heldFolder struct {
	delta encoding.Delta
	lines []encoding.Recorded
}

// mostWaiting is how many lines wait to be packed.
const mostWaiting = 1 << 16

// Add takes in what a line says of an entry in a folder.
func (p *Folders) Add(folder string, r *encoding.Recorded) error {
	f := p.held[folder]
	if f == nil {
		if r.Gone {
			return nil
		}
		f = &heldFolder{}
		p.held[folder] = f
	}
	if len(f.lines) == 0 {
		p.lately = append(p.lately, f)
	}
	f.lines = append(f.lines, *r)
	if p.waiting++; p.waiting < mostWaiting {
		return nil
	}
	return p.settle()
}

// settle packs what lines say that wait.
func (p *Folders) settle() error {
	for _, f := range p.lately {
		slices.SortStableFunc(f.lines, func(a, b encoding.Recorded) int { return cmp.Compare(a.Entry.Name, b.Entry.Name) })
		var packer encoding.Packer
		for i := range f.lines {
			if i+1 == len(f.lines) || f.lines[i].Entry.Name != f.lines[i+1].Entry.Name { // the last has the say
				f.lines[i].Pack(&packer)
			}
		}
		joined, err := encoding.Join([]encoding.Delta{f.delta, packer.Delta()}, true)
		if err != nil {
			return err
		}
		f.delta, f.lines = joined.Clone(), nil
	}
	p.lately, p.waiting = p.lately[:0], 0
	return nil
}

// tree makes the tree of a folder and all those in it, and sums up the content of
// files in them.
func (p *Folders) tree(path string, folder *entry.Folder, content *sums.Counting, all *seen) (*tree, error) {
	l := &tree{folder: folder}
	var list []encoding.Recorded
	if f := p.held[path]; f != nil {
		var err error
		if list, err = encoding.Unpack(nil, f.delta); err != nil {
			return nil, err
		}
	}
	var entered []string
	for i := range list {
		k := &list[i]
		content.Count(&k.Entry)
		all.count(&k.Entry, folder.Hidden)
		if k.Entered {
			entered = append(entered, strings.Clone(k.Entry.Name))
		}
	}
	l.count = len(list)
	l.pack(list)
	list = nil // it is large, and those below have theirs
	if f := p.held[path]; f != nil {
		f.delta = l.delta // which is the same
	}
	for _, name := range entered {
		below, err := p.tree(replay.JoinPath(path, name), entry.NewFolder(folder, name), content, all)
		if err != nil {
			return nil, err
		}
		l.below = append(l.below, below)
	}
	return l, nil
}

// Fill takes over what a place held at a record.
func (p *Folders) Fill(ctx context.Context, from store.Reader, s *replay.State) error {
	return p.fill(ctx, from, s, encoding.Root, "")
}

// fill takes over what a folder held, and those in it.
func (p *Folders) fill(ctx context.Context, from store.Reader, s *replay.State, id uint64, path string) error {
	held, err := s.Held(ctx, from, id)
	if err != nil {
		return err
	}
	var packer encoding.Packer
	for i := range held {
		held[i].Pack(&packer)
	}
	p.held[path] = &heldFolder{delta: packer.Delta().Clone()}
	if len(p.held) > s.Len() {
		return replay.ErrNumber // a folder lies in itself
	}
	for i := range held {
		if held[i].Entered {
			name := held[i].Entry.Name
			if err := p.fill(ctx, from, s, s.Inside(id, name), replay.JoinPath(path, name)); err != nil {
				return err
			}
		}
	}
	return nil
}

// Elsewhere is a record that was made elsewhere, and is written down here as it was there.
type Elsewhere struct{ w *writer }

// NewElsewhere returns a record that held some folders. With count, its entries and their bytes are
// counted anew.
func NewElsewhere(ctx context.Context, r ledger.Record, held *Folders, problems []source.Problem, volumes map[string]uint64, count bool) (*Elsewhere, error) {
	if err := held.settle(); err != nil {
		return nil, err
	}
	// Which place a label stands for is what the machine said when it made the record.
	w := &writer{ctx: ctx, record: r, problems: problems, volumes: volumes, ready: true, turn: r.Turn, options: Options{MoveLabel: true}}
	w.record.PlaceNumber = 0
	var content sums.Counting
	var all seen
	var err error
	if w.root, err = held.tree("", &entry.Folder{}, &content, &all); err != nil || !count {
		return &Elsewhere{w}, err
	}
	w.record.Entries = 0
	w.root.each(func(l *tree) error {
		w.record.Entries += int64(l.count)
		return nil
	})
	tell(&w.record, content.Sum())
	tellSeen(&w.record, all)
	return &Elsewhere{w}, nil
}

// Write writes the record down, with a number that the ledger gives it, and returns it.
func (e *Elsewhere) Write(l *ledger.Ledger) (ledger.Record, error) {
	e.w.record.Number = 0
	written, _, err := carryOut(l, e.w)
	return written, err
}

// Among says which records the store has, so that they are not read again: for one of many records
// that are added by one update.
func (e *Elsewhere) Among(records []ledger.Record) { e.w.all = records }

// Prepare does what has to be done before the record is added, and returns the hash of all that it holds.
func (e *Elsewhere) Prepare(from store.Reader) (encoding.Hash, error) {
	err := e.w.prepare(from)
	return e.w.root.hash, err
}

// Add adds the prepared record by an update, with a number, 0 for any, and returns it.
func (e *Elsewhere) Add(u store.Update, number int64) (ledger.Record, error) {
	e.w.record.Number = number
	err := e.w.write(u)
	if err == nil && e.w.all != nil {
		e.w.record.Stored, err = u.Stored(e.w.ctx, e.w.record.PlaceNumber, e.w.record.Number)
	}
	return e.w.record, err
}
