package cli

import (
	"context"
	"errors"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/ledger/replay"
	"frankledger/core/live"
	"frankledger/core/posix"
	"frankledger/core/source"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Here it is decided what a word names as a place, and it is opened: a folder or file, a
// list that was kept, or a record in the ledger.

// asking is what a command asks about the places that are named.
type asking uint8

const (
	asNamed    asking = iota // what is named, and what is in folders; of a list, what is on it
	whatIsIn                 // what is in everything that is named, also by a list
	ofAFolder                // what is in a folder, which cannot be one file or a list
	ofOneThing               // likewise, but it may be a list
)

// open reads the condition and opens the places of a command. It returns the
// summary that the answer ends with, in which places that are not there are
// problems.
func (p *Program) open(ctx context.Context, r *reading, args []string, about asking) ([]source.Source, *report.Summary, error) {
	places, err := p.where(r, args)
	if err != nil {
		return nil, nil, err
	}
	r.asking = about
	sources, problems, err := p.openPlaces(ctx, r, places)
	if err != nil {
		return nil, nil, err
	}
	for _, s := range sources {
		if place := s.Place(); place.Leaf && about >= ofAFolder || place.List && about == ofAFolder {
			return nil, nil, p.noFolder(r, s)
		}
		r.view.Add(s.Place())
	}
	summary := &report.Summary{Chosen: r.program != nil, Slips: r.slips, Notes: r.notes, Report: source.Report{Problems: problems}}
	if about == whatIsIn && r.lists(sources) > 0 {
		depth := r.request.Depth
		r.request.Depth = source.AllDepths
		sources = r.distinct(r.named(sources, summary), summary)
		r.request.Depth = depth
	}
	return sources, summary, nil
}

// lists is how many of the places are lists.
func (r *reading) lists(sources []source.Source) (n int) {
	for _, s := range sources {
		if s.Place().List {
			n++
		}
	}
	return n
}

// named puts what is on a list in its place, each as a place of its own.
func (r *reading) named(sources []source.Source, summary *report.Summary) (named []source.Source) {
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
func (r *reading) onlyListed(sources []source.Source, summary *report.Summary) []source.Source {
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
func (p *Program) noFolder(r *reading, s source.Source) error {
	place := s.Place()
	given := typeset.Escaped(place.Given)
	if place.List {
		return usage.Repaired(usage.Misuse("%s is a list, and this is about one folder", given), []string{"weigh", place.Given}, []string{"tally", place.Given}, []string{"duplicates", place.Given})
	}
	err := usage.Misuse("%s is one file, and this is about a folder", given)
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
func (r *reading) distinct(sources []source.Source, summary *report.Summary) []source.Source {
	distinct, left := source.Distinct(sources, &r.request)
	if left > 0 {
		summary.Notes = append(summary.Notes, units.Count(int64(left), "place is the same as another one, or lies in it", "places are the same as others, or lie in them")+": everything is counted once")
	}
	return distinct
}

// openPlaces opens what was asked about: the current folder if nothing was.
// Places that are not there are problems if there are others.
func (p *Program) openPlaces(ctx context.Context, r *reading, args []string) (sources []source.Source, problems []source.Problem, err error) {
	if len(args) == 0 {
		args = []string{"."}
	}
	asked, err := p.expandRecords(ctx, r, args)
	if err != nil {
		return nil, nil, err
	}
	var missing []string
	for i, one := range asked {
		given := one.given
		if given == "" {
			return nil, nil, usage.Misuse("a place cannot be empty; the current folder is .")
		}
		s, err := p.openPlace(ctx, r, one, i)
		var f *usage.Failure
		if errors.As(err, &f) {
			return nil, nil, err
		}
		if errors.Is(err, errElsewhere) {
			continue
		}
		if err != nil {
			problems = append(problems, source.Problem{Path: given, Tried: "find", Err: posix.Reason(err), Entries: 1})
			missing = append(missing, typeset.Escaped(path.Clean(given))+": "+posix.Reason(err).Error())
			continue
		}
		if err := r.honours(s); err != nil {
			return nil, nil, err
		}
		sources = append(sources, s)
	}
	for _, given := range r.unrecorded {
		problems = append(problems, source.Problem{Path: given, Tried: "find", Err: ledger.ErrNoRecord, Entries: 1})
	}
	problems = append(problems, r.lackingRecord...)
	if err := r.tellWithout(len(sources) + len(problems)); err != nil {
		return nil, nil, err
	}
	if len(sources) == 0 || p.args.WithoutWhere(args) != nil {
		return nil, nil, p.args.MissingPlaces(args, missing)
	}
	return sources, problems, nil
}

// openPlace opens a place: on the running system, the entries of a list that
// was kept, or a record in the ledger.
func (p *Program) openPlace(ctx context.Context, r *reading, one asked, index int) (source.Source, error) {
	given := one.given
	if one.record != nil {
		return p.openFound(ctx, r, one, index)
	}
	if list, is := strings.CutPrefix(given, usage.ListMark); is {
		spareMemory() // each path is a place of its own
		return live.OpenList(list, given, index)
	}
	if words, is := strings.CutPrefix(given, usage.RecordMark); is {
		return p.openRecord(ctx, r, words, given, index)
	}
	return live.Open(given, index)
}

// honours returns an error if an option was written that says nothing about a place:
// it would be ignored.
func (r *reading) honours(s source.Source) error {
	if r.hosts.given && s.Place().Record == nil {
		return usage.MisuseOf("host", "--host says whose records are meant, and %s is none: write @LABEL, or @* for all of them", typeset.Escaped(s.Place().Given))
	}
	if of := s.Place().Record; of != nil && r.keeping != nil && of.Host != thisHost() {
		return usage.MisuseOf("save-list", "--save-list keeps paths for this machine, and %s is of %s; --to saves the answer", typeset.Escaped(s.Place().Given), typeset.Escaped(of.Host))
	}
	if r.written == nil {
		return nil
	}
	can := s.Capabilities()
	if !can.Below && r.asking != asNamed { // folders on it are places of their own
		return nil
	}
	for _, one := range []struct {
		option string
		can    bool
	}{{"depth", can.Below}, {"hidden", can.Below}, {"skip", can.Below}, {"follow", can.Follow}, {"same-disk", can.SameDisk}} {
		if !one.can && r.written(one.option) {
			return usage.MisuseOf(one.option, "--%s: %s %w", one.option, typeset.Escaped(s.Place().Given), can.Limits)
		}
	}
	return nil
}

// openRecord opens a record as a place.
func (p *Program) openRecord(ctx context.Context, r *reading, words, given string, index int) (source.Source, error) {
	ref, err := ledger.ParseReference(words, r.view.Zone)
	if err != nil {
		return nil, p.notARecord(given, err)
	}
	l, err := p.ledgerToRead(ctx, r)
	if err != nil {
		return nil, err
	}
	found, err := l.Find(ctx, ref)
	if errors.Is(err, ledger.ErrNoRecord) || errors.Is(err, ledger.ErrLabel) {
		return nil, p.notARecord(given, err)
	}
	if err != nil {
		return nil, ledgerTrouble(p.ledgerPath, err)
	}
	if !ref.By.IsZero() {
		if err := p.tellSetBack(ctx, r, l, &found); err != nil {
			return nil, err
		}
	}
	return p.openFound(ctx, r, asked{given: given, record: &found, below: ref.Path}, index)
}

// tellSetBack notes, where a record was asked for by a day, that the clock of its machine was set
// back at some time.
func (p *Program) tellSetBack(ctx context.Context, r *reading, l *ledger.Ledger, found *ledger.Record) error {
	records, err := l.Records(ctx)
	if err != nil {
		return ledgerTrouble(p.ledgerPath, err)
	}
	of := slices.DeleteFunc(records, func(other ledger.Record) bool { return other.Host != found.Host || other.Label != found.Label })
	if ledger.SetBack(of) {
		r.notes = append(r.notes, "the clock of "+typeset.Escaped(found.Host)+" was set back between records of @"+typeset.Escaped(found.Label)+": the newest is the one made last")
	}
	return nil
}

// openFound opens a record that was found as a place.
func (p *Program) openFound(ctx context.Context, r *reading, one asked, index int) (source.Source, error) {
	if !one.among {
		notes, err := watched(ctx, p.ledger, *one.record, one.below)
		if err != nil {
			return nil, ledgerTrouble(p.ledgerPath, err)
		}
		r.notes = append(r.notes, notes...)
	}
	s, err := replay.SourceOf(ctx, p.ledger, *one.record, one.below, one.given, index)
	switch {
	case err == nil:
		s.Among = one.among
		return s, nil
	case errors.Is(err, replay.ErrNoEntry) && one.among:
		r.without = append(r.without, one.record.Host)
		r.lacking = one.below
		return nil, errElsewhere
	case errors.Is(err, ledger.ErrDamaged) && one.among, errors.Is(err, replay.ErrNotRead) && one.among:
		return nil, err
	case errors.Is(err, replay.ErrNoEntry) || errors.Is(err, replay.ErrNotRead):
		return nil, usage.Misuse("%s: %w", typeset.Escaped(one.given), err)
	}
	return nil, ledgerTrouble(p.ledgerPath, err)
}

// ledgerToRead opens the ledger once, until the command is done.
func (p *Program) ledgerToRead(ctx context.Context, r *reading) (*ledger.Ledger, error) {
	if p.ledger == nil {
		l, path, err := p.openLedger(ctx, r.ledger)
		if err != nil {
			return nil, err
		}
		if r.hosts.given {
			l.Only(r.hosts.names...)
		}
		if r.hosts.several() {
			l.Wide()
		}
		p.ledger, p.ledgerPath = l, path
		p.toClose = append(p.toClose, l)
	}
	return p.ledger, nil
}

// hasRecord reports whether any of the places was recorded.
func hasRecord(sources []source.Source) bool {
	return slices.ContainsFunc(sources, func(s source.Source) bool { return s.Place().Kept })
}

// nowOnly refuses records where a command is about what is there now, and offers the place that they
// are of.
func (p *Program) nowOnly(sources []source.Source) error {
	for _, s := range sources {
		if place := s.Place(); place.Kept {
			err := usage.Misuse("%s is a record, and this command is only for what is there now", typeset.Escaped(place.Given))
			if place.Record.Host != thisHost() {
				return err
			}
			return usage.Repaired(err, p.args.Instead(place.Given, place.Full))
		}
	}
	return nil
}

// thereNow opens, as it is now, what a record is of.
func thereNow(recorded *replay.Source, index int) (source.Source, error) {
	r, given := recorded.Record(), typeset.Escaped(recorded.Place().Given)
	host, err := os.Hostname()
	if err != nil {
		return nil, err
	}
	if r.Host != host {
		return nil, usage.Misuse("%s was recorded on %s, and this is %s; name the place to compare it with", given, typeset.Escaped(r.Host), typeset.Escaped(host))
	}
	now, err := live.Open(recorded.Place().Full, index)
	if err != nil {
		return nil, usage.Misuse("%s, which is %s, is not there now: %w", typeset.Escaped(recorded.Place().Full), given, posix.Reason(err))
	}
	return now, nil
}
