package upkeep

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
	"frankledger/core/quantity"
)

// Fault is something in a ledger that is not as it should be.
type Fault struct {
	Record int64  // 0 for the store itself
	Host   string // of the record
	Path   string // from the place of the record
	What   string
}

// Check looks whether the store is whole, and whether all that is recorded still
// has the hashes it was given.
func Check(ctx context.Context, l *ledger.Ledger) ([]Fault, error) {
	var faults []Fault
	lines, err := l.Store.Check(ctx)
	for _, line := range lines {
		faults = append(faults, Fault{What: line})
	}
	if err != nil || len(faults) > 0 {
		return faults, err
	}
	records, err := l.Records(ctx)
	if err != nil {
		return nil, err
	}
	altered, err := l.Store.Altered(ctx)
	if err != nil {
		return nil, err
	}
	for _, number := range altered {
		fault := Fault{Record: number, What: "its label, time, note, terms or problems were altered"}
		if at := slices.IndexFunc(records, func(r ledger.Record) bool { return r.Number == number }); at >= 0 {
			fault.Host = records[at].Host
		}
		faults = append(faults, fault)
	}
	byPlace := map[int64][]ledger.Record{}
	var order []int64
	for _, r := range records {
		if byPlace[r.PlaceNumber] == nil {
			order = append(order, r.PlaceNumber)
		}
		byPlace[r.PlaceNumber] = append(byPlace[r.PlaceNumber], r)
	}
	for _, place := range order {
		slices.SortFunc(byPlace[place], ledger.ByNumber)
		found, err := checkPlace(ctx, l, byPlace[place], !slices.ContainsFunc(faults, func(f Fault) bool { return f.Record == 0 || f.Host == byPlace[place][0].Host }))
		for i := range found {
			found[i].Host = byPlace[place][0].Host
		}
		if faults = append(faults, found...); err != nil {
			return faults, err
		}
	}
	slices.SortStableFunc(faults, func(a, b Fault) int { return cmp.Compare(a.Record, b.Record) })
	return faults, nil
}

// checkPlace looks whether the records of a place have the hashes that they were given, and if so,
// and nothing else was found, whether the summaries are right.
func checkPlace(ctx context.Context, l *ledger.Ledger, records []ledger.Record, summaries bool) (faults []Fault, err error) {
	place := records[0].PlaceNumber
	checked, layers := map[hashed]amount{}, map[int64]bool{}
	growing, err := replay.Roll(ctx, l.Store, place)
	if err != nil {
		return broken(records[0], err)
	}
	segments := growing.Segments()
	list, err := l.Store.Layers(ctx, place)
	if err != nil {
		return broken(records[0], err)
	}
	for _, layer := range list {
		layers[layer.Record] = true
	}
	for _, r := range records {
		c := &checking{ctx: ctx, from: l.Store, record: r, checked: checked}
		if c.state, err = growing.UpTo(r.Number); err != nil {
			list, err := broken(r, err)
			return append(faults, list...), err
		}
		all, err := c.folder(encoding.Root, nil)
		if err != nil {
			list, err := broken(r, err)
			return append(faults, list...), err
		}
		switch {
		case len(c.faults) > 0:
		case c.state.Folder(encoding.Root).Tree != r.Tree:
			c.fault(nil, "its folders do not match its hash")
		case r.Counted && (all.looked != r.Looked || all.hidden != r.Hidden):
			c.fault(nil, fmt.Sprintf("%d of its entries are hidden and %d not, instead of %d and %d", all.hidden, all.looked, r.Hidden, r.Looked))
		case all.entries != r.Entries || r.Bytes > all.bytes || all.bytes < quantity.TooMuch && r.Bytes < all.bytes-all.several:
			c.fault(nil, fmt.Sprintf("it has %d entries with %d bytes, instead of %d with %d", all.entries, all.bytes, r.Entries, r.Bytes))
		}
		if layers[r.Number] && len(c.faults) == 0 {
			if c.faults, err = checkLayer(ctx, l, r, c.state); err != nil {
				list, err := broken(r, err)
				return append(faults, list...), err
			}
		}
		faults = append(faults, c.faults...)
	}
	if len(faults) > 0 || !summaries { // what they are of is not as it was
		return faults, nil
	}
	if faults, err = checkSummaries(ctx, l, store.All(place), segments); err != nil {
		return broken(records[len(records)-1], err)
	}
	return faults, nil
}

// broken has an error of a record that is damaged be a fault of it, so that others are looked
// at, too.
func broken(r ledger.Record, err error) ([]Fault, error) {
	if !errors.Is(err, ledger.ErrDamaged) {
		return nil, err
	}
	return []Fault{{Record: r.Number, What: err.Error()}}, nil
}

// checkLayer looks whether the layer of a record has what there was at it.
func checkLayer(ctx context.Context, l *ledger.Ledger, r ledger.Record, all *replay.State) ([]Fault, error) {
	altered := []Fault{{Record: r.Number, What: "a layer that makes reading it faster was altered"}}
	of := store.Range{Place: r.PlaceNumber, Layer: r.Number, UpTo: r.Number}
	own, err := l.Store.Segments(ctx, of)
	if err != nil {
		return nil, err
	}
	layer, err := replay.LoadRange(ctx, l.Store, of)
	if err != nil {
		return altered, ledger.UnlessDamaged(err)
	}
	if same, err := all.HoldsSame(ctx, l.Store, layer); err != nil || !same {
		return altered, err
	}
	return checkSummaries(ctx, l, of, own)
}

// checkSummaries looks whether the summaries of the segments of a place are what these give,
// and whether each has one.
func checkSummaries(ctx context.Context, l *ledger.Ledger, of store.Range, segments []store.SegmentRow) (faults []Fault, err error) {
	bands, err := l.Store.Bands(ctx, of)
	if err != nil {
		return nil, err
	}
	left := map[int64]encoding.Segment{}
	for _, s := range segments {
		left[s.Number] = s.Segment
	}
	for _, b := range bands {
		var groups []encoding.Group
		segments := slices.Clone(b.Segments)
		for i := range segments {
			s, there := left[segments[i].Segment]
			if !there {
				return append(faults, Fault{Record: b.Record, What: "its summaries do not match its entries"}), nil
			}
			delete(left, segments[i].Segment)
			if s.Names, err = l.Store.Part(ctx, segments[i].Segment, store.Names); err == nil {
				s.Facts, err = l.Store.Part(ctx, segments[i].Segment, store.Facts)
			}
			if err == nil {
				err = segments[i].Met(s)
			}
			var some []encoding.Group
			if err == nil {
				some, err = encoding.Summarise(s)
			}
			if err != nil {
				return faults, err
			}
			groups = append(groups, some...)
		}
		same := true
		made, err := encoding.MakeBand(segments, groups, func(part int, content []byte) error {
			kept, err := l.Store.BandPart(ctx, b.Number, part)
			same = same && bytes.Equal(kept, content)
			return err
		})
		if err != nil && !errors.Is(err, ledger.ErrDamaged) {
			return faults, err
		}
		if err != nil || !same || !bytes.Equal(made.Pack(), b.Pack()) {
			faults = append(faults, Fault{Record: b.Record, What: "its summaries were altered"})
		}
	}
	if len(bands) > 0 && len(left) > 0 {
		faults = append(faults, Fault{What: "some entries have no summary"})
	}
	return faults, ctx.Err()
}

// hashed is a folder as it was once.
type hashed struct {
	folder uint64
	tree   encoding.Hash
}

// amount is what a folder holds, at any depth.
type amount struct {
	entries, bytes int64
	several        int64 // bytes of files of several names, by each of these: they may be counted once, or as often
	looked, hidden int64 // as Record has them
	unsure         bool  // these are not known: see seen
}

// count counts an entry that lies in the folder itself.
func (a *amount) count(e *entry.Entry) {
	a.entries++
	a.unsure = a.unsure || e.Marks&entry.MarkFlaggedHidden != 0
	if e.Hidden() {
		a.hidden++
	} else {
		a.looked++
	}
	if e.HasSize() {
		a.bytes = quantity.Add(a.bytes, e.Size)
		if e.Links > 1 {
			a.several = quantity.Add(a.several, e.Size)
		}
	}
}

// checking checks one record. What was found good in another is good in this.
type checking struct {
	ctx     context.Context
	from    store.Reader
	record  ledger.Record
	state   *replay.State
	checked map[hashed]amount
	faults  []Fault
}

func (c *checking) fault(at *descent, what string) {
	c.faults = append(c.faults, Fault{Record: c.record.Number, Path: at.String(), What: what})
}

// descent is the path to a folder, which is made a path only where something is wrong: folders can lie
// very deep. It is nil for the place itself.
type descent struct {
	above *descent
	name  string
}

func (w *descent) String() string {
	var names []string
	for ; w != nil; w = w.above {
		names = append(names, w.name)
	}
	slices.Reverse(names)
	return strings.Join(names, "/")
}

// folder checks a folder and all below it.
func (c *checking) folder(id uint64, at *descent) (held amount, err error) {
	if err := c.ctx.Err(); err != nil {
		return held, err
	}
	f := c.state.Folder(id)
	if f == nil {
		c.fault(at, "a folder is not there")
		return held, nil
	}
	if held, done := c.checked[hashed{id, f.Tree}]; done {
		return held, nil
	}
	before := len(c.faults)
	packer := encoding.NewFolderPacker()
	type entered struct {
		name   string
		hidden bool
	}
	var folders []entered
	if err := c.state.Pieces(c.ctx, c.from, id, func(piece []encoding.Recorded) error {
		packer.Add(piece)
		for i := range piece {
			e := &piece[i].Entry
			held.count(e)
			if piece[i].Entered {
				folders = append(folders, entered{strings.Clone(e.Name), e.Hidden()})
			}
		}
		return nil
	}); err != nil {
		return held, err
	}
	if now := packer.Contents(); now.Plain != f.Plain || now.Full != f.Full {
		c.fault(at, "its entries were altered")
	}
	h := encoding.NewTreeHasher(f.Entries())
	for _, k := range folders {
		below := c.state.Inside(id, k.name)
		in, err := c.folder(below, &descent{at, k.name})
		if err != nil {
			return held, err
		}
		held.entries, held.bytes, held.several, held.unsure = held.entries+in.entries, quantity.Add(held.bytes, in.bytes), quantity.Add(held.several, in.several), held.unsure || in.unsure
		if !k.hidden {
			held.looked, held.hidden = held.looked+in.looked, held.hidden+in.hidden
		}
		if g := c.state.Folder(below); g != nil {
			h.Add(k.name, g.Tree)
		}
	}
	switch {
	case len(c.faults) > before:
	case h.Hash() != f.Tree:
		c.fault(at, "the folders in it were altered")
	default:
		c.checked[hashed{id, f.Tree}] = held
	}
	return held, nil
}
