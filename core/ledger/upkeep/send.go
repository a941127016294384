package upkeep

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"frankledger/core/ledger"
	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/recording"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/store"
	"frankledger/core/source"
)

// Sent is a record that was sent to another ledger, or was there.
type Sent struct {
	Record ledger.Record
	Number int64 // that it has there
	There  bool  // it had been sent before
	// Dropped tells that it was taken away there, so that it is not sent again.
	Dropped bool
}

// Send copies the records of a host that another ledger lacks to it, the oldest first, and calls a function after
// each: of all places or, if labels are given, of those with such a record. A record is recognised by its time and
// its place, and by its tree hash, so that sending can be done again at any time, and goes on where it was broken
// off. Each is written whole or not at all.
func Send(ctx context.Context, l *ledger.Ledger, to *ledger.Ledger, host string, labels []string, told func(Sent)) error {
	all, err := l.Records(ctx)
	if err != nil {
		return err
	}
	for _, label := range labels {
		if !slices.ContainsFunc(all, func(r ledger.Record) bool { return r.Host == host && r.Label == label }) {
			return fmt.Errorf("%w: %s", ledger.ErrLabel, label)
		}
	}
	places := map[int64][]ledger.Record{}
	var order []int64
	for _, r := range all {
		if r.Host != host {
			continue
		}
		if places[r.PlaceNumber] == nil {
			order = append(order, r.PlaceNumber)
		}
		places[r.PlaceNumber] = append(places[r.PlaceNumber], r)
	}
	for _, place := range order {
		ours := places[place]
		if len(labels) > 0 && !slices.ContainsFunc(ours, func(r ledger.Record) bool { return slices.Contains(labels, r.Label) }) {
			continue
		}
		slices.SortFunc(ours, ledger.ByNumber)
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
	from *ledger.Ledger
	to   *ledger.Ledger
	ours []ledger.Record // the oldest first
	// What is to be sent as it is packed is checked first.
	growing *replay.Rolling
	checked map[hashed]amount
	// linked is what was known there after a record was copied: as long as that is so, folders are
	// the same on both sides.
	linked ledger.Standing
}

// errOtherWay is returned if the newest record there is not the one before on this side: what is
// different from that has to be found out.
var errOtherWay = errors.New("the records there are others")

// mostSent is how many bytes a part of a segment is sent as it is with, which is less than what a database
// takes.
const mostSent = 4 << 20

func same(a, b *ledger.Record) bool {
	return a.Tree == b.Tree && a.Taken.Equal(b.Taken) && a.Label == b.Label
}

// send sends a record, unless it is there.
func (s *sender) send(i int, told func(Sent)) error {
	r := s.ours[i]
	now, err := s.from.Records(s.ctx)
	if err != nil {
		return err
	}
	// Records that came after these are no matter; what one that is gone had is with the next.
	if now = ledger.OfPlace(now, r.Host, r.Place); len(now) < len(s.ours) || !slices.EqualFunc(now[:len(s.ours)], s.ours, func(a, b ledger.Record) bool { return a.Number == b.Number }) {
		return store.ErrChanged
	}
	problems, err := s.from.Store.Problems(s.ctx, r.Number)
	if err != nil {
		return err
	}
	volumes, err := s.from.Store.Volumes(s.ctx, r.PlaceNumber)
	if err != nil {
		return err
	}
	sent := Sent{Record: r}
	if s.linked == nil { // nothing is known of that side
		records, err := s.to.Records(s.ctx)
		if err != nil {
			return err
		}
		theirs := ledger.OfPlace(records, r.Host, r.Place)
		if at := slices.IndexFunc(theirs, func(other ledger.Record) bool { return same(&other, &r) }); at >= 0 {
			told(Sent{Record: r, Number: theirs[at].Number, There: true})
			return nil
		}
		dropped, err := s.to.Store.Dropped(s.ctx, r.Host)
		if err != nil {
			return err
		}
		if dropped[r.Identity()] {
			told(Sent{Record: r, Dropped: true})
			return nil
		}
	}
	if err := s.to.Reserve(s.ctx, r.Host); err != nil {
		return err
	}
	var found ledger.Standing
	err = s.to.Change(s.ctx, func(u store.Update) error {
		sent.There, sent.Dropped = false, false
		records, err := ledger.RecordsIn(s.ctx, u)
		if err != nil {
			return err
		}
		theirs := ledger.OfPlace(records, r.Host, r.Place)
		if found, err = ledger.StandingOf(s.ctx, u, theirs); err != nil {
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
		if sent.Dropped = dropped[r.Identity()]; sent.Dropped {
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
func (s *sender) links(u store.Reader, theirs []ledger.Record, found ledger.Standing, i int) (bool, error) {
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
	there, err := replay.Load(s.ctx, u, last.PlaceNumber, last.Number)
	if err != nil {
		return false, err
	}
	here, err := replay.Load(s.ctx, s.from.Store, before.PlaceNumber, before.Number)
	return err == nil && here.SameFolders(there), err
}

// copy adds a record as it is packed on this side.
func (s *sender) copy(u store.Update, i int, problems []store.ProblemRow, volumes map[string]uint64) (int64, error) {
	ctx, r := s.ctx, s.ours[i]
	row := r.Row()
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
	of := store.Range{Place: r.PlaceNumber, UpTo: r.Number}
	if i > 0 {
		of.Layer = s.ours[i-1].Number // what came before is not wanted
	}
	segments, err := s.from.Store.Segments(ctx, of)
	if err != nil {
		return 0, err
	}
	for _, segment := range segments {
		if segment.Record != r.Number || segment.Layer {
			continue
		}
		n := segment.Number
		segment.Place, segment.Record, segment.Number = place, number, 0
		if segment.Names, err = s.from.Store.Part(ctx, n, store.Names); err != nil {
			return 0, err
		}
		if segment.Facts, err = s.from.Store.Part(ctx, n, store.Facts); err != nil {
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
func (s *sender) verify(r *ledger.Record) (err error) {
	if s.growing == nil {
		if s.growing, err = replay.Roll(s.ctx, s.from.Store, r.PlaceNumber); err != nil {
			return err
		}
		s.checked = map[hashed]amount{}
	}
	c := &checking{ctx: s.ctx, from: s.from.Store, record: *r, checked: s.checked}
	if c.state, err = s.growing.UpTo(r.Number); err != nil {
		return err
	}
	if _, err = c.folder(encoding.Root, nil); err == nil && (len(c.faults) > 0 || c.state.Folder(encoding.Root).Tree != r.Tree) {
		err = fmt.Errorf("%w: record %d was altered; frank ledger check shows how", ledger.ErrDamaged, r.Number)
	}
	return err
}

// rewrite writes a record by what is different from the newest one there.
func (s *sender) rewrite(i int, problems []store.ProblemRow, volumes map[string]uint64) (int64, error) {
	r := s.ours[i]
	state, err := replay.Load(s.ctx, s.from.Store, r.PlaceNumber, r.Number)
	if err != nil {
		return 0, err
	}
	held := recording.NewFolders()
	if err := held.Fill(s.ctx, s.from.Store, state); err != nil {
		return 0, err
	}
	var told []source.Problem
	for _, p := range problems {
		told = append(told, ledger.ProblemOf(p))
	}
	made, err := recording.NewElsewhere(s.ctx, r, held, told, volumes, false)
	if err != nil {
		return 0, err
	}
	written, err := made.Write(s.to)
	if err == nil && written.Tree != r.Tree {
		err = fmt.Errorf("%w: record %d is not what was sent", ledger.ErrDamaged, r.Number)
	}
	return written.Number, err
}
