package cli

import (
	"slices"

	"frankledger/core/ledger"
	"frankledger/core/source"
)

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
	return ledger.Terms{Hidden: r.request.Hidden, Skip: o.skip, SameDisk: r.request.SameDisk, MatchCase: r.matchCase, Where: condition}
}

// onTerms is a reading with what is there now chosen on the terms of a record.
func (p *Program) onTerms(r *reading, o *readingOptions, t ledger.Terms) (*reading, error) {
	again := *r
	var err error
	again.matchCase = r.matchCase || t.MatchCase
	again.request.SameDisk = again.request.SameDisk || t.SameDisk
	if !r.written("hidden") {
		again.request.Hidden = t.Hidden
	}
	if again.request.Skip, err = source.Skipper(append(slices.Clip(o.skip), t.Skip...), again.matchCase); err != nil {
		return nil, err
	}
	if len(t.Where) > 0 {
		if _, err := p.where(&again, append([]string{whereWord}, t.Where...)); err != nil {
			return nil, err
		}
		again.request.Condition = ledger.WithFolders(again.request.Condition)
	}
	return &again, nil
}
