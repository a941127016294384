package ledger

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"

	"frankledger/core/entry"
	"frankledger/core/source"
)

// What can be wrong with an import.
var (
	ErrLines    = errors.New("these are no lines of an exported ledger")
	ErrCutShort = errors.New("the lines end too early")
	ErrThere    = errors.New("the ledger has records of that place already; import into another one")
)

// Imported is what an import added.
type Imported struct {
	Records []Record
	// Renumbered tells which numbers were taken, and what records have now.
	Renumbered map[int64]int64
	Lost       int // folders that were lost before the export
}

// Import adds the records of an export, all or none.
func (l *Ledger) Import(ctx context.Context, from io.Reader) (Imported, error) {
	m := &importer{ctx: ctx, places: map[placeKey]*importedPlace{}}
	m.done.Renumbered = map[int64]int64{}
	err := l.store.Update(ctx, func(u Update) error {
		m.update = u
		there, err := u.Records(ctx)
		if err != nil {
			return err
		}
		m.there = there
		return m.lines(from)
	})
	if err != nil && m.number > 0 {
		err = fmt.Errorf("line %d: %w", m.number, err)
	}
	return m.done, err
}

type placeKey struct{ host, path string }

// importer reads one export.
type importer struct {
	ctx     context.Context
	update  Update
	there   []Record // before
	places  map[placeKey]*importedPlace
	number  int // of the line
	record  *Record
	sealed  seal
	report  source.Report
	volumes map[string]uint64
	done    Imported
}

// importedPlace is what a place holds at the record that is being read.
type importedPlace struct {
	folders map[string]map[string]kept // by way
	lost    bool
}

// lines reads all lines.
func (m *importer) lines(from io.Reader) error {
	in := bufio.NewReaderSize(from, 1<<20)
	for {
		content, err := in.ReadBytes('\n')
		if err == io.EOF && len(bytes.TrimSpace(content)) == 0 {
			return ErrCutShort
		}
		if err != nil && err != io.EOF {
			m.number = 0
			return err
		}
		m.number++
		var l line
		if err := json.Unmarshal(content, &l); err != nil {
			return fmt.Errorf("%w: %w", ErrLines, err)
		}
		if m.number == 1 && (l.Ledger == nil || *l.Ledger < 1) {
			return ErrLines
		}
		if l.End != nil {
			if err := m.write(); err != nil {
				return err
			}
			if *l.End != len(m.done.Records) {
				return fmt.Errorf("%w: there should be %d records, and are %d", ErrLines, *l.End, len(m.done.Records))
			}
			m.number = 0
			return nil
		}
		if err := m.line(&l); err != nil {
			return err
		}
	}
}

// line takes one line in.
func (m *importer) line(l *line) error {
	switch {
	case l.Ledger != nil:
		if *l.Ledger > linesVersion {
			return ErrNewer
		}
		return nil
	case l.Record != nil:
		if err := m.write(); err != nil {
			return err
		}
		return m.begin(l.Record)
	case m.record == nil:
		return fmt.Errorf("%w: it stands before any record", ErrLines)
	}
	place := m.places[placeKey{m.record.Host, m.record.Place}]
	switch {
	case l.Problem != nil:
		p := l.Problem
		m.report.Problems = append(m.report.Problems, source.Problem{Path: string(p.Way), Tried: p.Tried, Err: errors.New(p.Reason), Entries: p.Entries, Vanished: p.Vanished})
	case l.Lost != nil:
		place.lost = true
		m.done.Lost++
		m.report.Problems = append(m.report.Problems, source.Problem{Path: string(l.Lost.Way), Tried: "save", Err: errors.New("the ledger it was exported from was damaged"), Entries: 1})
	case l.Gone != nil:
		folder, name := splitWay(string(*l.Gone))
		delete(place.folders[folder], name)
	case l.Entry != nil:
		folder, name := splitWay(string(l.Entry.Way))
		if name == "" || len(name) > longestName {
			return fmt.Errorf("%w: an entry has no name", ErrLines)
		}
		k, err := l.Entry.kept(name)
		if err != nil {
			return fmt.Errorf("%w: %w", ErrLines, err)
		}
		if place.folders[folder] == nil {
			place.folders[folder] = map[string]kept{}
		}
		place.folders[folder][name] = k
	default:
		return fmt.Errorf("%w: it is none of the kinds there are", ErrLines)
	}
	return nil
}

func splitWay(way string) (folder, name string) {
	folder, name = path.Split(way)
	return path.Clean("/" + folder)[1:], name
}

// begin begins a record.
func (m *importer) begin(l *recordLine) error {
	r, err := l.record()
	if err != nil {
		return fmt.Errorf("%w: %w", ErrLines, err)
	}
	key := placeKey{r.Host, r.Place}
	if slices.ContainsFunc(m.there, func(t Record) bool { return t.Host == r.Host && t.Place == r.Place }) {
		return fmt.Errorf("%w: %s", ErrThere, r.Place)
	}
	if m.places[key] == nil {
		m.places[key] = &importedPlace{folders: map[string]map[string]kept{"": {}}}
	}
	m.record, m.sealed, m.report, m.volumes = &r, r.seal, source.Report{}, l.Volumes
	return nil
}

// write writes the record whose lines were read.
func (m *importer) write() error {
	if m.record == nil {
		return nil
	}
	r := *m.record
	place := m.places[placeKey{r.Host, r.Place}]
	w := &writer{ctx: m.ctx, record: r, problems: m.report.Problems, volumes: m.volumes, ready: true, options: Options{MoveLabel: true}}
	content := newContent()
	w.root = place.listing("", "", &content)
	w.root.each(func(l *listing) error {
		w.record.Entries += int64(l.count)
		return nil
	})
	content.tell(&w.record)
	wanted := r.Number
	if wanted <= 0 || slices.ContainsFunc(m.there, func(t Record) bool { return t.Number == wanted }) ||
		slices.ContainsFunc(m.done.Records, func(t Record) bool { return t.Number >= wanted }) {
		w.record.Number = 0
	}
	if err := w.prepare(m.update); err != nil {
		return err
	}
	if w.root.seal != m.sealed && !place.lost {
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

// listing makes the listing of a folder and all those in it, and sums up the content
// of files in them.
func (p *importedPlace) listing(way, name string, content *content) *listing {
	held := p.folders[way]
	var list []kept
	l := &listing{folder: &entry.Folder{Name: name}}
	for _, name := range slices.Sorted(maps.Keys(held)) {
		k := held[name]
		list = append(list, k)
		content.add(&k.entry)
		if k.entered {
			l.below = append(l.below, p.listing(wayTo(way, name), name, content))
		}
	}
	l.count = len(list)
	l.pack(list)
	return l
}
