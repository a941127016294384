package cli

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"frankledger/cli/place"
	"frankledger/core/account"
	"frankledger/core/condition"
	"frankledger/core/condition/compile"
	"frankledger/core/entry"
	"frankledger/core/ledger"
	"frankledger/core/live"
	"frankledger/core/sides"
	"frankledger/core/source"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Here it is decided what of two places is held against one another.

// againstNow puts what is there now beside what was recorded.
func againstNow(r *question, recorded ledger.Recorded) ([]source.Source, error) {
	now, err := place.Now(recorded, 1)
	if err != nil {
		return nil, err
	}
	r.view.Places, r.view.Lettered = nil, true
	r.view.Add(recorded.Place())
	r.view.Add(now.Place())
	return []source.Source{recorded, now}, nil
}

// againstLists puts what is on a list in its place, by paths from the other one: of two lists, by full
// paths.
func againstLists(summary *report.Summary, sources []source.Source) {
	root := &entry.Place{Full: "/"}
	for _, s := range sources {
		if !s.Place().List {
			root = s.Place()
		}
	}
	for i, s := range sources {
		list, is := s.(*live.List)
		if !is {
			continue
		}
		var rels []string
		elsewhere := 0
		for _, listed := range list.Paths() {
			full, err := filepath.Abs(listed)
			rel, below := strings.CutPrefix(full, strings.TrimSuffix(root.Full, "/")+"/")
			if err != nil || !below {
				elsewhere++
				continue
			}
			rels = append(rels, rel)
		}
		if elsewhere > 0 {
			summary.Notes = append(summary.Notes, units.Count(int64(elsewhere), "path", "paths")+" of "+typeset.Escaped(s.Place().Given)+" lead out of the folder, and were left out")
		}
		sources[i] = live.NewPart(root, s.Place().Given, i, rels)
	}
}

// scopesOf returns what chose the entries of places where they were recorded, and has the summary say
// so.
func scopesOf(r *question, summary *report.Summary, places ...source.Source) []sides.Scope {
	scopes, chosen := make([]sides.Scope, len(places)), []ledger.Terms{}
	for i, s := range places {
		record, is := ledger.SourceRecord(s)
		if !is {
			chosen = append(chosen, ledger.Terms{})
			continue
		}
		chosen = append(chosen, record.Terms.Choosing())
		scopes[i] = scopeOf(r, record)
	}
	alike := !slices.ContainsFunc(chosen, func(t ledger.Terms) bool { return !t.ChooseAs(chosen[0]) })
	for i, t := range chosen {
		words := t.Words()
		if len(words) == 0 || alike && i > 0 {
			continue
		}
		for n := range words {
			words[n] = typeset.ShellQuoted(words[n])
		}
		what := typeset.Escaped(places[i].Place().Given) + " was"
		if alike && len(chosen) > 1 {
			what = "both were"
		}
		summary.Notes = append(summary.Notes, what+" recorded with "+strings.Join(words, " ")+"; what that left out is ignored on both sides")
	}
	if alike { // what was left out is in none of them
		for i := range scopes {
			scopes[i] = sides.Scope{Condition: scopes[i].Condition, Lasting: scopes[i].Lasting}
		}
	}
	return scopes
}

// scopeOf returns what chose the entries of a record.
func scopeOf(r *question, record ledger.Record) sides.Scope {
	t := record.Terms.Choosing()
	scope := sides.Scope{Hidden: t.Hidden, SameDisk: t.SameDisk}
	if len(t.Skip) > 0 {
		scope.Skip, _ = source.Skipper(t.Skip, t.MatchCase) // they were patterns then
	}
	if len(t.Where) > 0 {
		scope.Condition, scope.Lasting = recordedCondition(r, t, record)
	}
	return scope
}

// attributes reports whether any of some places keeps attributes.
func attributes(places []source.Source) bool {
	return slices.ContainsFunc(places, func(s source.Source) bool {
		return s.Place().Kept && s.Capabilities().Facts.Has(entry.FactXattrs|entry.FactFlags)
	})
}

// recordedCondition makes the condition ready that a record was made with, as of then. Where this
// program cannot read it, it is not known what met it.
func recordedCondition(r *question, t ledger.Terms, record ledger.Record) (c source.Condition, lasting bool) {
	parsed, err := condition.Parse(t.Where)
	if err != nil {
		return unreadable{}, false
	}
	asOf := record.Taken
	if t.AsOf != "" {
		if asOf, err = time.Parse(time.RFC3339Nano, t.AsOf); err != nil {
			return unreadable{}, false
		}
	}
	program, err := compile.Condition(parsed, &condition.Environment{
		AsOf: asOf, Zone: r.view.Zone, MatchCase: t.MatchCase, Relative: true,
		User: uint32(os.Geteuid()), Groups: myGroups(), Accounts: r.view.Context.Accounts.(*account.Names),
	})
	if err != nil {
		return unreadable{}, false
	}
	return program, program.Lasting()
}

// unreadable is a condition of which nothing is known.
type unreadable struct{}

// Needs implements source.Condition.
func (unreadable) Needs() entry.Facts { return 0 }

// Test implements source.Condition.
func (unreadable) Test() source.Test {
	return func(*entry.Entry, entry.Facts) source.Verdict { return source.Unknown }
}
