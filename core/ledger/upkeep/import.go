package upkeep

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"frankledger/core/ledger"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/store"
	"frankledger/core/ledger/transfer"
	"frankledger/core/source"
)

// ErrThere is returned for lines of a place that the ledger has records of.
var ErrThere = errors.New("the ledger already has records of that place; import into another ledger")

// Imported is what an import added.
type Imported struct {
	Records []ledger.Record
	// Renumbered tells which numbers were taken, and what records have now.
	Renumbered map[int64]int64
	Lost       int // folders that were lost before the export
}

// Import adds the records of an export, all or none. What has met another writer is done again,
// if it can be read again from where it begins.
func Import(ctx context.Context, l *ledger.Ledger, from io.Reader) (Imported, error) {
	begin := int64(0)
	seeker, again := from.(io.Seeker)
	if again {
		var err error
		if begin, err = seeker.Seek(0, io.SeekCurrent); err != nil {
			again = false // a pipe
		}
	}
	if l.Store.Shared() && !again {
		kept, err := spool(from)
		if err != nil {
			return Imported{}, err
		}
		defer kept.Close()
		from, seeker, again = kept, kept, true
	}
	defer l.Only(l.Chosen...)
	l.Only() // whosever records are there are in the way
	var tries ledger.Retries
	for {
		done, err := importOnce(ctx, l, from)
		if !again || !tries.Another(ctx, err) {
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

func importOnce(ctx context.Context, l *ledger.Ledger, from io.Reader) (Imported, error) {
	m := &importer{ctx: ctx, lines: transfer.NewReader(from), places: map[placeKey]*importedPlace{}}
	m.done.Renumbered = map[int64]int64{}
	err := l.Store.Update(ctx, func(u store.Update) (err error) {
		m.update = u
		if m.there, err = ledger.RecordsIn(ctx, u); err != nil {
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

// importedPlace is what a place holds at the record that is being read.
type importedPlace struct {
	*recording.Folders
	lost   bool  // something of it was, before the export
	latest int64 // turn, by the times of the records
}

// importer reads one export.
type importer struct {
	ctx      context.Context
	lines    *transfer.Reader
	read     bool // all lines are
	update   store.Update
	there    []ledger.Record // before
	places   map[placeKey]*importedPlace
	record   *ledger.Record // whose lines are being read
	problems []source.Problem
	volumes  map[string]uint64
	done     Imported
}

// mostNumber is the largest number that a record may choose: what comes after it has room enough.
const mostNumber = 1 << 31

var errTurn = errors.New("its turn among the records is impossible")

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
			return fmt.Errorf("%w: it says that it has %d records, and has %d", ledger.ErrLines, *l.End, len(m.done.Records))
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
		return fmt.Errorf("%w: there is a line before the first record", ledger.ErrLines)
	}
	place := m.places[placeKey{m.record.Host, m.record.Place}]
	switch {
	case l.Problem != nil:
		m.problems = append(m.problems, ledger.ProblemOf(*l.Problem))
	case l.Lost != nil:
		place.lost = true
		m.done.Lost++
		m.problems = append(m.problems, source.Problem{Path: l.Lost.Path, Tried: "save", Err: errors.New("the ledger it was exported from was damaged"), Entries: 1})
	default:
		return place.Add(l.Folder, l.Entry)
	}
	return nil
}

// begin begins a record.
func (m *importer) begin(l *transfer.Record) error {
	r, err := ledger.RecordOf(l.RecordRow)
	if err == nil {
		err = ledger.CheckLabel(r.Label)
	}
	if err == nil && (r.Turn < 0 || r.Turn > store.MostTurn) {
		err = errTurn
	}
	if err != nil {
		return fmt.Errorf("%w: %w", ledger.ErrLines, err)
	}
	key := placeKey{r.Host, r.Place}
	if slices.ContainsFunc(m.there, func(t ledger.Record) bool { return t.Host == r.Host && t.Place == r.Place }) {
		return fmt.Errorf("%w: %s", ErrThere, r.Place)
	}
	if m.places[key] == nil {
		m.places[key] = &importedPlace{Folders: recording.NewFolders()}
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
	if place.latest = max(place.latest, 1, store.TurnAt(r.Taken)); r.Turn == 0 { // an earlier program has exported it
		r.Turn = place.latest
	}
	made, err := recording.NewElsewhere(m.ctx, r, place.Folders, m.problems, m.volumes, true)
	if err != nil {
		return err
	}
	wanted := r.Number
	number := wanted
	if wanted <= 0 || wanted > mostNumber || slices.ContainsFunc(m.there, func(t ledger.Record) bool { return t.Number == wanted }) ||
		slices.ContainsFunc(m.done.Records, func(t ledger.Record) bool { return t.Number >= wanted }) {
		number = 0
	}
	made.Among(slices.Concat(m.there, m.done.Records))
	hash, err := made.Prepare(m.update)
	if err != nil {
		return err
	}
	if hash != r.Tree && !place.lost {
		return fmt.Errorf("%w: record %d is not what was exported", ledger.ErrLines, wanted)
	}
	written, err := made.Add(m.update, number)
	if err != nil {
		return err
	}
	if written.Number != wanted {
		m.done.Renumbered[wanted] = written.Number
	}
	m.done.Records = append(m.done.Records, written)
	m.record = nil
	return nil
}
