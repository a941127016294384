package cli

import (
	"time"

	"frankledger/cli/usage"
	"frankledger/core/entry"
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
		if s.Place().Kept {
			for _, a := range entry.Algorithms {
				if s.Capabilities().Facts.Has(a.Fact) {
					return a.Name
				}
			}
		}
	}
	return words
}

// terms are what chooses the entries of a record.
func (r *question) terms(o *readingOptions, args []string) ledger.Terms {
	_, condition, _ := usage.SplitWhere(args)
	terms := ledger.Terms{Hidden: r.request.Hidden, Skip: o.skip, SameDisk: r.request.SameDisk, MatchCase: r.matchCase, Where: condition}
	if len(condition) > 0 && r.written("as-of") {
		terms.AsOf = r.view.Context.AsOf.UTC().Format(time.RFC3339Nano)
	}
	return terms
}
