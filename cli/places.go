package cli

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/live"
	"frankledger/core/posix"
	"frankledger/core/source"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Here it is decided what a word names as a place, and it is opened: a folder or file, a
// list that was kept, or a record in the ledger.

// there reports whether there is something of that name.
func there(path string) bool {
	_, err := os.Lstat(path)
	return err == nil
}

// open reads the condition and opens the places of a command. It returns the
// summary that the answer ends with, in which places that are not there are
// problems.
func (p *Program) open(ctx context.Context, r *question, args []string, about place.Asking) ([]source.Source, *report.Summary, error) {
	places, err := p.where(r, args)
	if err != nil {
		return nil, nil, err
	}
	opened, err := p.openPlaces(ctx, r, places, about)
	if err != nil {
		return nil, nil, err
	}
	sources := opened.Sources
	for _, s := range sources {
		if spot := s.Place(); spot.Leaf && about >= place.OfAFolder || spot.List && about == place.OfAFolder {
			return nil, nil, p.noFolder(r, s)
		}
		r.view.Add(s.Place())
	}
	summary := &report.Summary{Chosen: r.program != nil, Slips: r.slips, Notes: r.notes, Report: source.Report{Problems: opened.Problems}}
	if about == place.WhatIsIn && r.lists(sources) > 0 {
		depth := r.request.Depth
		r.request.Depth = source.AllDepths
		sources = r.distinct(r.named(sources, summary), summary)
		r.request.Depth = depth
	}
	return sources, summary, nil
}

// opener is what opens the places of a command.
func (p *Program) opener(r *question, about place.Asking) *place.Opener {
	return &place.Opener{Ledgers: &p.ledgers, Args: p.args, Ledger: r.ledger, Hosts: r.hosts, Zone: r.view.Zone, AsOf: r.view.Context.AsOf, Written: r.written, Keeping: r.keeping != nil, Asking: about}
}

// openPlaces opens what was asked about, and takes over what there is to note of it.
func (p *Program) openPlaces(ctx context.Context, r *question, args []string, about place.Asking) (*place.Opened, error) {
	opened, err := p.opener(r, about).Open(ctx, args)
	if err != nil {
		return nil, err
	}
	r.notes, r.without = append(r.notes, opened.Notes...), opened.Without
	return opened, nil
}

// lists is how many of the places are lists.
func (r *question) lists(sources []source.Source) (n int) {
	for _, s := range sources {
		if s.Place().List {
			n++
		}
	}
	return n
}

// named puts what is on a list in its place, each as a place of its own.
func (r *question) named(sources []source.Source, summary *report.Summary) (named []source.Source) {
	for _, s := range sources {
		list, is := s.(*live.List)
		if !is {
			named = append(named, s)
			continue
		}
		for _, path := range list.Paths() {
			one, err := live.OpenAsIs(path, s.Place().Index)
			if err != nil {
				summary.Report.Problems = append(summary.Report.Problems, source.Problem{Path: path, Tried: "find", Err: posix.Reason(err), Entries: 1})
				continue
			}
			named = append(named, one)
		}
	}
	r.view.Context.Paths = true
	return named
}

// onlyListed puts what is on lists in their place, and has what is on them chosen of all that is in it, so that
// what is listed in a folder that is listed, too, is shown by itself and added up once.
func (r *question) onlyListed(sources []source.Source, summary *report.Summary) []source.Source {
	listed := r.named(sources, summary)
	paths := map[string]bool{}
	for _, s := range listed {
		paths[s.Place().Full] = true
	}
	r.request.Depth, r.request.Hidden, r.request.Self = source.AllDepths, source.ShowHidden, true
	r.request.Condition = source.Among(paths, r.request.Condition)
	distinct, _ := source.Distinct(listed, &source.Request{Depth: source.AllDepths})
	return distinct
}

// noFolder says that a command is about a folder, and what tells the same of another thing.
func (p *Program) noFolder(r *question, s source.Source) error {
	place := s.Place()
	given := typeset.Escaped(place.Given)
	if place.List {
		return usage.Repaired(usage.Misuse("%s is a list, and this works on one folder", given), []string{"weigh", place.Given}, []string{"tally", place.Given}, []string{"duplicates", place.Given})
	}
	err := usage.Misuse("%s is one file, and this works on a folder", given)
	if !place.Kept && r.program == nil {
		folder, name := filepath.Split(place.Given)
		if folder = strings.TrimSuffix(folder, "/"); folder == "" {
			folder = "."
		}
		err = usage.Repaired(err, append(p.args.Instead(place.Given, folder), usage.Where, "name", "is", name))
	}
	return usage.Repaired(err, []string{"inspect", place.Given}, []string{"history", place.Given})
}

// distinct leaves places out that are asked about twice, for commands whose answer is of all of them
// together.
func (r *question) distinct(sources []source.Source, summary *report.Summary) []source.Source {
	distinct, left := source.Distinct(sources, &r.request)
	if left > 0 {
		summary.Notes = append(summary.Notes, units.Count(int64(left), "place is the same as another one, or lies in it", "places are the same as others, or lie in them")+": everything is counted once")
	}
	return distinct
}

// hasRecord reports whether any of the places was recorded.
func hasRecord(sources []source.Source) bool {
	return slices.ContainsFunc(sources, func(s source.Source) bool { return s.Place().Kept })
}

// nowOnly refuses records where a command is about what is there now, and offers the place that they
// are of.
func (p *Program) nowOnly(sources []source.Source) error {
	for _, s := range sources {
		if spot := s.Place(); spot.Kept {
			err := usage.Misuse("%s is a record, and this command works only on what is there now", typeset.Escaped(spot.Given))
			if spot.Record.Host != place.ThisHost() {
				return err
			}
			return usage.Repaired(err, p.args.Instead(spot.Given, spot.Full))
		}
	}
	return nil
}
