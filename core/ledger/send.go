package ledger

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"frankledger/core/entry"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
	"frankledger/core/sums"
)

// Sent is a record that was sent to another ledger, or was there.
type Sent struct {
	Record Record
	Number int64 // that it has there
	There  bool  // it had been sent before
	// Dropped tells that it was taken away there, so that it is not sent again.
	Dropped bool
}

// Send brings the records of a host to another ledger that this lacks, the oldest first, and
// calls a function after each: of all places or, if labels are given, of those with such a record.
// A record is recognised by when and of what it was taken, and by its tree hash, so that
// sending can be done again at any time, and goes on where it was broken off. Each is
// written whole or not at all.
func (l *Ledger) Send(ctx context.Context, to *Ledger, host string, labels []string, told func(Sent)) error {
	all, err := l.Records(ctx)
	if err != nil {
		return err
	}
	for _, label := range labels {
		if !slices.ContainsFunc(all, func(r Record) bool { return r.Host == host && r.Label == label }) {
			return fmt.Errorf("%w: %s", ErrLabel, label)
		}
	}
	places := map[int64][]Record{}
	var order []int64
	for _, r := range all {
		if r.Host != host {
			continue
		}
		if places[r.place] == nil {
			order = append(order, r.place)
		}
		places[r.place] = append(places[r.place], r)
	}
	for _, place := range order {
		ours := places[place]
		if len(labels) > 0 && !slices.ContainsFunc(ours, func(r Record) bool { return slices.Contains(labels, r.Label) }) {
			continue
		}
		slices.SortFunc(ours, byNumber)
		s := &sender{ctx: ctx, from: l, to: to, ours: ours}
		for i := range ours {
			err := s.send(i, told)
			l.Release() // others may record here, before the next one
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// sender sends the records of one place.
type sender struct {
	ctx  context.Context
	from *Ledger
	to   *Ledger
	ours []Record // the oldest first
	// What is to be sent as it is packed is checked first.
	growing *growing
	checked map[hashed]amount
	// linked is what was known there after a record was copied: as long as that is so, folders are
	// the same on both sides.
	linked standing
}

// errOtherWay is returned if the newest record there is not the one before on this side: what is
// different from that has to be found out.
var errOtherWay = errors.New("the records there are others")

// mostSent is how many bytes a part of a segment is sent as it is with, which is less than what a database
// takes.
const mostSent = 4 << 20

func same(a, b *Record) bool {
	return a.tree == b.tree && a.Taken.Equal(b.Taken) && a.Label == b.Label
}

// send sends a record, unless it is there.
func (s *sender) send(i int, told func(Sent)) error {
	r := s.ours[i]
	now, err := s.from.Records(s.ctx)
	if err != nil {
		return err
	}
	// Records that came after these are no matter; what one that is gone had is with the next.
	if now = ofPlace(now, r.Host, r.Place); len(now) < len(s.ours) || !slices.EqualFunc(now[:len(s.ours)], s.ours, func(a, b Record) bool { return a.Number == b.Number }) {
		return store.ErrChanged
	}
	problems, err := s.from.store.Problems(s.ctx, r.Number)
	if err != nil {
		return err
	}
	volumes, err := s.from.store.Volumes(s.ctx, r.place)
	if err != nil {
		return err
	}
	sent := Sent{Record: r}
	if s.linked == nil { // nothing is known of that side
		records, err := s.to.Records(s.ctx)
		if err != nil {
			return err
		}
		theirs := ofPlace(records, r.Host, r.Place)
		if at := slices.IndexFunc(theirs, func(other Record) bool { return same(&other, &r) }); at >= 0 {
			told(Sent{Record: r, Number: theirs[at].Number, There: true})
			return nil
		}
		dropped, err := s.to.store.Dropped(s.ctx, r.Host)
		if err != nil {
			return err
		}
		if dropped[r.identity()] {
			told(Sent{Record: r, Dropped: true})
			return nil
		}
	}
	if err := s.to.reserve(s.ctx, r.Host); err != nil {
		return err
	}
	var found standing
	err = s.to.change(s.ctx, func(u store.Update) error {
		sent.There, sent.Dropped = false, false
		records, err := recordsIn(s.ctx, u)
		if err != nil {
			return err
		}
		theirs := ofPlace(records, r.Host, r.Place)
		if found, err = standingOf(s.ctx, u, theirs); err != nil {
			return err
		}
		for j := range theirs {
			if same(&theirs[j], &r) {
				sent.There, sent.Number = true, theirs[j].Number
				return nil
			}
		}
		dropped, err := u.Dropped(s.ctx, r.Host)
		if err != nil {
			return err
		}
		if sent.Dropped = dropped[r.identity()]; sent.Dropped {
			return nil
		}
		if linked, err := s.links(u, theirs, found, i); err != nil {
			return err
		} else if !linked {
			return errOtherWay
		}
		sent.Number, err = s.copy(u, i, problems, volumes)
		return err
	})
	switch {
	case errors.Is(err, errOtherWay):
		s.linked = nil
		sent.Number, err = s.rewrite(i, problems, volumes)
	case err == nil && sent.Dropped:
		s.linked = nil
	case err == nil && !sent.There:
		s.linked = slices.Insert(found, 0, sent.Number)
	}
	if err != nil {
		return err
	}
	told(sent)
	return nil
}

// links reports whether the deltas of a record can follow the newest record there as they are:
// that is the one before on this side, and all that is known of folders is the same, also of
// those that are gone, which may come again.
func (s *sender) links(u store.Reader, theirs []Record, found standing, i int) (bool, error) {
	if len(theirs) == 0 || i == 0 {
		return len(theirs) == 0 && i == 0, nil
	}
	last, before := &theirs[len(theirs)-1], &s.ours[i-1]
	if !same(last, before) {
		return false, nil
	}
	if slices.Equal(s.linked, found) {
		return true, nil
	}
	there, err := load(s.ctx, u, last.place, last.Number)
	if err != nil {
		return false, err
	}
	here, err := load(s.ctx, s.from.store, before.place, before.Number)
	if err != nil || len(there.folders) != len(here.folders) {
		return false, err
	}
	for id := range here.folders {
		a, b := there.folders[id].FolderVersion, here.folders[id].FolderVersion
		if a.Number != b.Number || a.Parent != b.Parent || a.Name != b.Name || a.Contents != b.Contents || a.Tree != b.Tree {
			return false, nil
		}
	}
	return maps.Equal(there.ids, here.ids), nil
}

// copy adds a record as it is packed on this side.
func (s *sender) copy(u store.Update, i int, problems []store.ProblemRow, volumes map[string]uint64) (int64, error) {
	ctx, r := s.ctx, s.ours[i]
	row := r.row()
	row.Number = 0
	number, place, err := u.AddRecord(ctx, row)
	if err != nil {
		return 0, err
	}
	for id, device := range volumes {
		if err := u.AddVolume(ctx, place, id, device); err != nil {
			return 0, err
		}
	}
	if err := s.verify(&r); err != nil {
		return 0, err
	}
	of := store.Range{Place: r.place, UpTo: r.Number}
	if i > 0 {
		of.Layer = s.ours[i-1].Number // what came before is not wanted
	}
	segments, err := s.from.store.Segments(ctx, of)
	if err != nil {
		return 0, err
	}
	for _, segment := range segments {
		if segment.Record != r.Number || segment.Layer {
			continue
		}
		n := segment.Number
		segment.Place, segment.Record, segment.Number = place, number, 0
		if segment.Names, err = s.from.store.Part(ctx, n, store.Names); err != nil {
			return 0, err
		}
		if segment.Facts, err = s.from.store.Part(ctx, n, store.Facts); err != nil {
			return 0, err
		}
		if max(len(segment.Folders), len(segment.Names), len(segment.Facts)) > mostSent { // an earlier program did not part what is in a folder
			return 0, errOtherWay
		}
		if err := u.AddSegment(ctx, segment); err != nil {
			return 0, err
		}
	}
	for _, p := range problems {
		if err := u.AddProblem(ctx, number, p); err != nil {
			return 0, err
		}
	}
	return number, nil
}

// verify makes sure that a record is what it was when it was written: what is damaged here is
// not to be passed off as whole there.
func (s *sender) verify(r *Record) (err error) {
	if s.growing == nil {
		if s.growing, err = grow(s.ctx, s.from.store, r.place); err != nil {
			return err
		}
		s.checked = map[hashed]amount{}
	}
	c := &checking{ctx: s.ctx, from: s.from.store, record: *r, checked: s.checked}
	if c.state, err = s.growing.upTo(r.Number); err != nil {
		return err
	}
	if _, err = c.folder(encoding.Root, nil); err == nil && (len(c.faults) > 0 || c.state.folder(encoding.Root).Tree != r.tree) {
		err = fmt.Errorf("%w: record %d is not as it was written; frank ledger check tells more", ErrDamaged, r.Number)
	}
	return err
}

// rewrite writes a record by what is different from the newest one there.
func (s *sender) rewrite(i int, problems []store.ProblemRow, volumes map[string]uint64) (int64, error) {
	r := s.ours[i]
	state, err := load(s.ctx, s.from.store, r.place, r.Number)
	if err != nil {
		return 0, err
	}
	place := &importedPlace{folders: map[string]*importedFolder{}}
	if err := place.fill(s.ctx, s.from.store, state, encoding.Root, ""); err != nil {
		return 0, err
	}
	// Which place a label stands for is what the machine said when it made the record.
	w := &writer{ctx: s.ctx, record: r, volumes: volumes, ready: true, turn: r.Turn, options: Options{MoveLabel: true}}
	w.record.Number, w.record.place = 0, 0
	for _, p := range problems {
		w.problems = append(w.problems, problemOf(p))
	}
	if w.root, err = place.tree("", &entry.Folder{}, &sums.Counting{}, &seen{}); err != nil {
		return 0, err
	}
	written, _, err := s.to.carryOut(w)
	if err == nil && written.tree != r.tree {
		err = fmt.Errorf("%w: record %d is not what was sent", ErrDamaged, r.Number)
	}
	return written.Number, err
}

// fill takes what a folder held, and those in it.
func (p *importedPlace) fill(ctx context.Context, from store.Reader, s *state, id uint64, path string) error {
	held, err := s.held(ctx, from, id)
	if err != nil {
		return err
	}
	var packer encoding.Packer
	for i := range held {
		held[i].Pack(&packer)
	}
	p.folders[path] = &importedFolder{delta: packer.Delta().Clone()}
	if len(p.folders) > len(s.folders) {
		return errNumber // a folder lies in itself
	}
	for i := range held {
		if held[i].Entered {
			name := held[i].Entry.Name
			if err := p.fill(ctx, from, s, s.ids[folderKey{id, name}], pathIn(path, name)); err != nil {
				return err
			}
		}
	}
	return nil
}
