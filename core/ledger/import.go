package ledger

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/transfer"
	"frankledger/core/source"
	"frankledger/core/sums"
)

// ErrThere is returned for lines of a place that the ledger has records of.
var ErrThere = errors.New("the ledger has records of that place already; import into another one")

// Imported is what an import added.
type Imported struct {
	Records []Record
	// Renumbered tells which numbers were taken, and what records have now.
	Renumbered map[int64]int64
	Lost       int // folders that were lost before the export
}

// Import adds the records of an export, all or none. What has met another writer is done again,
// if it can be read again from where it begins.
func (l *Ledger) Import(ctx context.Context, from io.Reader) (Imported, error) {
	begin := int64(0)
	seeker, again := from.(io.Seeker)
	if again {
		var err error
		if begin, err = seeker.Seek(0, io.SeekCurrent); err != nil {
			again = false // a pipe
		}
	}
	if _, shared := l.store.(store.Numbered); shared && !again {
		kept, err := spool(from)
		if err != nil {
			return Imported{}, err
		}
		defer kept.Close()
		from, seeker, again = kept, kept, true
	}
	defer l.Only(l.hosts...)
	l.Only() // whosever records are there are in the way
	var tries retries
	for {
		done, err := l.importOnce(ctx, from)
		if !again || !tries.another(ctx, err) {
			return done, err
		}
		if _, err := seeker.Seek(begin, io.SeekStart); err != nil {
			return done, err
		}
	}
}

// spool keeps what comes by a pipe in a file without a name.
func spool(from io.Reader) (*os.File, error) {
	file, err := os.CreateTemp("", "frank-import-")
	if err != nil {
		return nil, err
	}
	os.Remove(file.Name())
	if _, err = io.Copy(file, from); err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		file.Close()
		return nil, err
	}
	return file, nil
}

func (l *Ledger) importOnce(ctx context.Context, from io.Reader) (Imported, error) {
	m := &importer{ctx: ctx, lines: transfer.NewReader(from), places: map[placeKey]*importedPlace{}}
	m.done.Renumbered = map[int64]int64{}
	err := l.store.Update(ctx, func(u store.Update) (err error) {
		m.update = u
		if m.there, err = recordsIn(ctx, u); err != nil {
			return err
		}
		return m.all()
	})
	if err != nil && m.lines.Number > 0 && !m.read && !errors.Is(err, store.ErrAgain) {
		err = fmt.Errorf("line %d: %w", m.lines.Number, err)
	}
	return m.done, err
}

type placeKey struct{ host, path string }

// importer reads one export.
type importer struct {
	ctx      context.Context
	lines    *transfer.Reader
	read     bool // all lines are
	update   store.Update
	there    []Record // before
	places   map[placeKey]*importedPlace
	record   *Record // whose lines are being read
	problems []source.Problem
	volumes  map[string]uint64
	done     Imported
}

// importedPlace is what a place holds at the record that is being read. Entries are packed,
// so that millions take little room.
type importedPlace struct {
	folders map[string]*importedFolder // by path
	lately  []*importedFolder          // those that lines were read of
	waiting int                        // these lines
	lost    bool
	latest  int64 // turn, by the times of the records
}

// importedFolder is what a folder holds, and lines that change it.
type importedFolder struct {
	delta encoding.Delta
	lines []encoding.Recorded
}

// mostNumber is the largest number that a record may choose: what comes after it has room enough.
const mostNumber = 1 << 31

var errTurn = errors.New("it has a turn that no machine gives")

// mostWaiting is how many lines wait to be packed.
const mostWaiting = 1 << 16

// add takes in what a line says of an entry in a folder.
func (p *importedPlace) add(folder string, r *encoding.Recorded) error {
	f := p.folders[folder]
	if f == nil {
		if r.Gone {
			return nil
		}
		f = &importedFolder{}
		p.folders[folder] = f
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
func (p *importedPlace) settle() error {
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

// all takes all lines in.
func (m *importer) all() error {
	for {
		l, err := m.lines.Next()
		if err != nil {
			return err
		}
		if l.End == nil {
			if err := m.line(l); err != nil {
				return err
			}
			continue
		}
		if err := m.write(); err != nil {
			return err
		}
		if *l.End != len(m.done.Records) {
			return fmt.Errorf("%w: it says that it has %d records, and has %d", ErrLines, *l.End, len(m.done.Records))
		}
		m.read = true
		return nil
	}
}

// line takes one line in.
func (m *importer) line(l *transfer.Line) error {
	if l.Record != nil {
		if err := m.write(); err != nil {
			return err
		}
		return m.begin(l.Record)
	}
	if m.record == nil {
		return fmt.Errorf("%w: a line stands before any record", ErrLines)
	}
	place := m.places[placeKey{m.record.Host, m.record.Place}]
	switch {
	case l.Problem != nil:
		m.problems = append(m.problems, problemOf(*l.Problem))
	case l.Lost != nil:
		place.lost = true
		m.done.Lost++
		m.problems = append(m.problems, source.Problem{Path: l.Lost.Path, Tried: "save", Err: errors.New("the ledger it was exported from was damaged"), Entries: 1})
	default:
		return place.add(l.Folder, l.Entry)
	}
	return nil
}

// begin begins a record.
func (m *importer) begin(l *transfer.Record) error {
	r, err := recordOf(l.RecordRow)
	if err == nil {
		err = CheckLabel(r.Label)
	}
	if err == nil && (r.Turn < 0 || r.Turn > mostTurn) {
		err = errTurn
	}
	if err != nil {
		return fmt.Errorf("%w: %w", ErrLines, err)
	}
	key := placeKey{r.Host, r.Place}
	if slices.ContainsFunc(m.there, func(t Record) bool { return t.Host == r.Host && t.Place == r.Place }) {
		return fmt.Errorf("%w: %s", ErrThere, r.Place)
	}
	if m.places[key] == nil {
		m.places[key] = &importedPlace{folders: map[string]*importedFolder{"": {}}}
	}
	m.record, m.problems, m.volumes = &r, nil, l.Volumes
	return nil
}

// write writes the record whose lines were read.
func (m *importer) write() error {
	if m.record == nil {
		return nil
	}
	r := *m.record
	place := m.places[placeKey{r.Host, r.Place}]
	if place.latest = max(place.latest, 1, turnAt(r.Taken)); r.Turn == 0 { // an earlier program has exported it
		r.Turn = place.latest
	}
	w := &writer{ctx: m.ctx, record: r, problems: m.problems, volumes: m.volumes, ready: true, turn: r.Turn, options: Options{MoveLabel: true}}
	var content sums.Counting
	var all seen
	if err := place.settle(); err != nil {
		return err
	}
	var err error
	if w.root, err = place.tree("", &entry.Folder{}, &content, &all); err != nil {
		return err
	}
	w.record.Entries = 0
	w.root.each(func(l *tree) error {
		w.record.Entries += int64(l.count)
		return nil
	})
	w.record.tell(content.Sum())
	w.record.tellSeen(all)
	wanted := r.Number
	if wanted <= 0 || wanted > mostNumber || slices.ContainsFunc(m.there, func(t Record) bool { return t.Number == wanted }) ||
		slices.ContainsFunc(m.done.Records, func(t Record) bool { return t.Number >= wanted }) {
		w.record.Number = 0
	}
	if err := w.prepare(m.update); err != nil {
		return err
	}
	if w.root.hash != r.tree && !place.lost {
		return fmt.Errorf("%w: record %d is not what was exported", ErrLines, wanted)
	}
	if err := w.write(m.update); err != nil {
		return err
	}
	if w.record.Number != wanted {
		m.done.Renumbered[wanted] = w.record.Number
	}
	m.done.Records = append(m.done.Records, w.record)
	m.record = nil
	return nil
}

// tree makes the tree of a folder and all those in it, and sums up the content of
// files in them.
func (p *importedPlace) tree(path string, folder *entry.Folder, content *sums.Counting, all *seen) (*tree, error) {
	l := &tree{folder: folder}
	var list []encoding.Recorded
	if f := p.folders[path]; f != nil {
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
	if f := p.folders[path]; f != nil {
		f.delta = l.delta // which is the same
	}
	for _, name := range entered {
		below, err := p.tree(pathIn(path, name), entry.NewFolder(folder, name), content, all)
		if err != nil {
			return nil, err
		}
		l.below = append(l.below, below)
	}
	return l, nil
}
