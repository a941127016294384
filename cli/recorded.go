package cli

import (
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
