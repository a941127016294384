package place

import (
	"context"
	"errors"
	"os"
	"path"
	"slices"
	"strings"
	"time"

	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/ledger/replay"
	"frankledger/core/ledger/upkeep"
	"frankledger/core/live"
	"frankledger/core/posix"
	"frankledger/core/source"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Asking is what a command asks about the places that are named.
type Asking uint8

const (
	AsNamed    Asking = iota // what is named, and what is in folders; of a list, what is on it
	WhatIsIn                 // what is in everything that is named, also by a list
	OfAFolder                // what is in a folder, which cannot be one file or a list
	OfOneThing               // likewise, but it may be a list
)

// read opens the ledger that records are in.
func (o *Opener) read(ctx context.Context) (*ledger.Ledger, error) {
	return o.Ledgers.ToRead(ctx, o.Ledger, o.Hosts)
}

// Open opens what was asked about: the current folder if nothing was.
// Places that are not there are problems if there are others.
func (o *Opener) Open(ctx context.Context, args []string) (*Opened, error) {
	o.found = &Opened{}
	if len(args) == 0 {
		args = []string{"."}
	}
	asked, err := o.expandRecords(ctx, args)
	if err != nil {
		return nil, err
	}
	var missing []string
	for i, one := range asked {
		given := one.given
		if given == "" {
			return nil, usage.Misuse("a place cannot be empty; the current folder is .")
		}
		s, err := o.openPlace(ctx, one, i)
		var f *usage.Failure
		if errors.As(err, &f) {
			return nil, err
		}
		if errors.Is(err, errElsewhere) {
			continue
		}
		if err != nil {
			o.found.Problems = append(o.found.Problems, source.Problem{Path: given, Tried: "find", Err: posix.Reason(err), Entries: 1})
			missing = append(missing, typeset.Escaped(path.Clean(given))+": "+posix.Reason(err).Error())
			continue
		}
		if err := o.honours(s); err != nil {
			return nil, err
		}
		o.found.Sources = append(o.found.Sources, s)
	}
	for _, given := range o.unrecorded {
		o.found.Problems = append(o.found.Problems, source.Problem{Path: given, Tried: "find", Err: ledger.ErrNoRecord, Entries: 1})
	}
	o.found.Problems = append(o.found.Problems, o.lackingRecord...)
	if err := o.tellWithout(len(o.found.Sources) + len(o.found.Problems)); err != nil {
		return nil, err
	}
	if len(o.found.Sources) == 0 || o.Args.WithoutWhere(args) != nil {
		return nil, o.Args.MissingPlaces(args, missing)
	}
	o.found.Without = o.without
	return o.found, nil
}

// openPlace opens a place: on the running system, the entries of a list that
// was kept, or a record in the ledger.
func (o *Opener) openPlace(ctx context.Context, one asked, index int) (source.Source, error) {
	given := one.given
	if one.record != nil {
		return o.openFound(ctx, one, index)
	}
	if list, is := strings.CutPrefix(given, usage.ListMark); is {
		session.SpareMemory() // each path is a place of its own
		return live.OpenList(list, given, index)
	}
	if words, is := strings.CutPrefix(given, usage.RecordMark); is {
		return o.openRecord(ctx, words, given, index)
	}
	return live.Open(given, index)
}

// honours returns an error if an option was written that says nothing about a place:
// it would be ignored.
func (o *Opener) honours(s source.Source) error {
	if o.Hosts.Given && s.Place().Record == nil {
		return usage.MisuseOf("host", "--host needs a record, and %s is not one: write @LABEL, or @* for all of them", typeset.Escaped(s.Place().Given))
	}
	if of := s.Place().Record; of != nil && o.Keeping && of.Host != ThisHost() {
		return usage.MisuseOf("save-list", "--save-list keeps paths of this machine, and %s is from %s; --to saves the answer", typeset.Escaped(s.Place().Given), typeset.Escaped(of.Host))
	}
	if o.Written == nil {
		return nil
	}
	can := s.Capabilities()
	if !can.Below && o.Asking != AsNamed { // folders on it are places of their own
		return nil
	}
	for _, one := range []struct {
		option string
		can    bool
	}{{"depth", can.Below}, {"hidden", can.Below}, {"skip", can.Below}, {"follow", can.Follow}, {"same-disk", can.SameDisk}} {
		if !one.can && o.Written(one.option) {
			return usage.MisuseOf(one.option, "--%s: %s %w", one.option, typeset.Escaped(s.Place().Given), can.Limits)
		}
	}
	return nil
}

// Record opens a record as a place, by what stands after its mark, and what there is to note of it.
func (o *Opener) Record(ctx context.Context, words, given string) (ledger.Recorded, []string, error) {
	o.found = &Opened{}
	s, err := o.openRecord(ctx, words, given, 0)
	return s, o.found.Notes, err
}

// openRecord opens a record as a place.
func (o *Opener) openRecord(ctx context.Context, words, given string, index int) (ledger.Recorded, error) {
	ref, err := ledger.ParseReference(words, o.AsOf, o.Zone)
	if err != nil {
		return nil, notARecord(given, err)
	}
	l, err := o.read(ctx)
	if err != nil {
		return nil, err
	}
	found, err := l.Find(ctx, ref)
	if errors.Is(err, ledger.ErrNoRecord) || errors.Is(err, ledger.ErrLabel) {
		return nil, notARecord(given, err)
	}
	if err != nil {
		return nil, LedgerTrouble(o.Ledgers.Path, err)
	}
	if !ref.By.IsZero() {
		if err := o.tellSetBack(ctx, l, &found); err != nil {
			return nil, err
		}
	}
	return o.openFound(ctx, asked{given: given, record: &found, below: ref.Path}, index)
}

// tellSetBack notes, where a record was asked for by a day, that the clock of its machine was set
// back at some time.
func (o *Opener) tellSetBack(ctx context.Context, l *ledger.Ledger, found *ledger.Record) error {
	records, err := l.Records(ctx)
	if err != nil {
		return LedgerTrouble(o.Ledgers.Path, err)
	}
	of := slices.DeleteFunc(records, func(other ledger.Record) bool { return other.Host != found.Host || other.Label != found.Label })
	if ledger.SetBack(of) {
		o.found.Notes = append(o.found.Notes, "the clock of "+typeset.Escaped(found.Host)+" was set back between records of @"+typeset.Escaped(found.Label)+": the newest is the one made last")
	}
	return nil
}

// openFound opens a record that was found as a place.
func (o *Opener) openFound(ctx context.Context, one asked, index int) (ledger.Recorded, error) {
	if !one.among {
		notes, err := Watched(ctx, o.Ledgers.Opened, *one.record, one.below)
		if err != nil {
			return nil, LedgerTrouble(o.Ledgers.Path, err)
		}
		o.found.Notes = append(o.found.Notes, notes...)
	}
	s, err := replay.SourceOf(ctx, o.Ledgers.Opened, *one.record, one.below, one.given, index)
	switch {
	case err == nil:
		s.Among = one.among && o.Asking != OfOneThing // where two are held against one another, both are kept
		if s.Among {
			if o.fellows == nil {
				o.fellows = replay.NewFellows(o.Ledgers.Opened.Store)
			}
			o.fellows.Join(s)
		}
		return s, nil
	case errors.Is(err, replay.ErrNoEntry) && one.among:
		o.without = append(o.without, one.record.Host)
		o.lacking = one.below
		return nil, errElsewhere
	case errors.Is(err, ledger.ErrDamaged) && one.among, errors.Is(err, replay.ErrNotRead) && one.among:
		return nil, err
	case errors.Is(err, replay.ErrNoEntry) || errors.Is(err, replay.ErrNotRead):
		return nil, usage.Misuse("%s: %w", typeset.Escaped(one.given), err)
	}
	return nil, LedgerTrouble(o.Ledgers.Path, err)
}

// Now opens the place of a record as it is now.
func Now(recorded ledger.Recorded, index int) (source.Source, error) {
	r, given := recorded.Record(), typeset.Escaped(recorded.Place().Given)
	host, err := os.Hostname()
	if err != nil {
		return nil, err
	}
	if r.Host != host {
		return nil, usage.Misuse("%s was recorded on %s, and this machine is %s; name the place to compare it with", given, typeset.Escaped(r.Host), typeset.Escaped(host))
	}
	now, err := live.Open(recorded.Place().Full, index)
	if err != nil {
		return nil, usage.Misuse("%s, which is %s, is not there now: %w", typeset.Escaped(recorded.Place().Full), given, posix.Reason(err))
	}
	return now, nil
}

// Watched are notes about a place of records: what has content that changed without a
// trace, at or below a path in it, and how much of it was read again.
func Watched(ctx context.Context, l *ledger.Ledger, r ledger.Record, below string) (notes []string, err error) {
	all, err := upkeep.Mismatches(ctx, l, r)
	if err != nil {
		return nil, err
	}
	var found []upkeep.Mismatch
	for _, m := range all {
		if below == "" || m.Path == below || strings.HasPrefix(m.Path, below+"/") {
			found = append(found, m)
		}
	}
	if n := len(found); n > 0 {
		more := ""
		if n > 1 {
			more = " and " + units.Count(int64(n-1), "other file", "other files")
		}
		notes = append(notes, "content changed although size and times did not: "+typeset.Escaped(found[0].Path)+more+" (found "+found[0].Found.Format(time.DateOnly)+"); frank ledger accept @"+r.Label)
	}
	return notes, nil
}
