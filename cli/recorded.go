package cli

import (
	"context"
	"errors"
	"maps"
	"os"
	"slices"

	"frankledger/core/ledger"
	"frankledger/core/live"
	"frankledger/core/posix"
	"frankledger/core/source"
	"frankledger/render"
)

// recordMark stands before the label or the number of a record.
const recordMark = "@"

// everyRecord is the newest record of every label.
const everyRecord = "@*"

// openRecord opens a record as a place.
func (p *Program) openRecord(ctx context.Context, r *reading, words, given string, index int) (source.Source, error) {
	ref, err := ledger.ParseReference(words, r.view.Zone)
	if err != nil {
		return nil, misuse("%s: %w; a file of that name is written ./%s", render.Escaped(given), err, render.Escaped(given))
	}
	l, err := p.ledgerToRead(ctx, r.ledger)
	if err != nil {
		return nil, err
	}
	found, err := l.Find(ctx, ref)
	if errors.Is(err, ledger.ErrNoRecord) || errors.Is(err, ledger.ErrLabel) {
		return nil, misuse("%s: %w; a file of that name is written ./%s", render.Escaped(given), err, render.Escaped(given))
	}
	if err != nil {
		return nil, ledgerTrouble(p.ledgerPath, err)
	}
	s, err := l.Source(ctx, found, ref.Way, given, index)
	if errors.Is(err, ledger.ErrNoEntry) || errors.Is(err, ledger.ErrNotRead) {
		return nil, misuse("%s: %w", render.Escaped(given), err)
	}
	if err != nil {
		return nil, ledgerTrouble(p.ledgerPath, err)
	}
	return s, nil
}

// ledgerToRead opens the ledger once, until the command is done.
func (p *Program) ledgerToRead(ctx context.Context, option string) (*ledger.Ledger, error) {
	if p.ledger == nil {
		l, path, err := p.openLedger(ctx, option)
		if err != nil {
			return nil, err
		}
		p.ledger, p.ledgerPath = l, path
		p.toClose = append(p.toClose, l)
	}
	return p.ledger, nil
}

// expandRecords puts the newest record of every label in the place of @*.
func (p *Program) expandRecords(ctx context.Context, r *reading, places []string) (expanded []string, err error) {
	for _, place := range places {
		if place != everyRecord {
			expanded = append(expanded, place)
			continue
		}
		l, err := p.ledgerToRead(ctx, r.ledger)
		if err != nil {
			return nil, err
		}
		records, err := l.Records(ctx)
		if err != nil {
			return nil, ledgerTrouble(p.ledgerPath, err)
		}
		labels := map[string]bool{}
		for _, r := range records {
			labels[recordMark+r.Label] = true
		}
		expanded = append(expanded, slices.Sorted(maps.Keys(labels))...)
	}
	return expanded, nil
}

// hasRecord tells whether any of the places was recorded.
func hasRecord(sources []source.Source) bool {
	return slices.ContainsFunc(sources, func(s source.Source) bool { return s.Place().Record != nil })
}

// nowOnly refuses records where a command is about what is there now.
func nowOnly(sources []source.Source) error {
	for _, s := range sources {
		if s.Place().Record != nil {
			return misuse("%s is a record, and this is about what is there now", render.Escaped(s.Place().Given))
		}
	}
	return nil
}

// thereNow opens, as it is now, what a record is of.
func thereNow(recorded *ledger.Source, index int) (source.Source, error) {
	r, given := recorded.Record(), render.Escaped(recorded.Place().Given)
	host, err := os.Hostname()
	if err != nil {
		return nil, err
	}
	if r.Host != host {
		return nil, misuse("%s was recorded on %s, and this is %s; name the place to hold it against", given, render.Escaped(r.Host), render.Escaped(host))
	}
	now, err := live.Open(recorded.Place().Full, index)
	if err != nil {
		return nil, misuse("%s, which is %s, is not there now: %w", render.Escaped(recorded.Place().Full), given, posix.Reason(err))
	}
	return now, nil
}

// algorithmFor returns the algorithm that was asked for or, of records, the one
// that these have digests by.
func algorithmFor(words string, chosen bool, sources []source.Source) string {
	if chosen {
		return words
	}
	for _, s := range sources {
		if recorded, is := s.(*ledger.Source); is && recorded.Record().Algorithm != "" {
			return recorded.Record().Algorithm
		}
	}
	return words
}

// terms are what chooses the entries of a record.
func (r *reading) terms(o *readingOptions, args []string) ledger.Terms {
	_, condition, _ := splitWhere(args)
	return ledger.Terms{Hidden: r.request.Hidden, Skip: o.skip, SameDisk: r.request.SameDisk, MatchCase: o.matchCase, Where: condition}
}

// onTerms is a reading with what is there now chosen on the terms of a record.
func (p *Program) onTerms(r *reading, o *readingOptions, t ledger.Terms) (*reading, error) {
	again := *r
	var err error
	matchCase := o.matchCase || t.MatchCase
	again.request.SameDisk = again.request.SameDisk || t.SameDisk
	if !r.written("hidden") {
		again.request.Hidden = t.Hidden
	}
	if again.request.Skip, err = source.Skipper(append(slices.Clip(o.skip), t.Skip...), matchCase); err != nil {
		return nil, err
	}
	if len(t.Where) > 0 {
		if _, err := p.where(&again, append([]string{whereWord}, t.Where...), matchCase); err != nil {
			return nil, err
		}
		again.request.Condition = ledger.WithFolders(again.request.Condition)
	}
	return &again, nil
}
