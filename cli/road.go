package cli

import (
	"cmp"
	"context"
	"errors"
	"os"
	"slices"

	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/account"
	"frankledger/core/entry"
	"frankledger/core/listing"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/report"
	"frankledger/render/typeset"
)

// list answers with the entries of places. With totals, a folder has the size of what
// it holds.
func (p *Program) list(ctx context.Context, r *question, places []string, totals bool) error {
	opened, err := p.openPlaces(ctx, r, places, place.AsNamed)
	if err != nil {
		return err
	}
	sources := opened.Sources
	r.view.Pasted = r.form.ForPeople() && r.form != render.HTML && r.request.Depth > 1
	for _, s := range sources {
		r.view.Add(s.Place())
	}
	if totals {
		r.addsUp(sumsEverything)
	}
	columns := r.columns()
	if r.usual {
		columns = entry.Overview(r.view.Context, totals, r.fields)
		r.request.Facts |= entry.OverviewNeeds
		r.request.Aside |= entry.OverviewAside
	}
	if totals {
		columns = entry.MarkTotals(columns)
	}
	if r.request.Depth == 1 {
		r.slips = append(r.slips, "only what is directly in the folder was looked at; frank search looks at any depth")
	}
	summary := &report.Summary{Slips: r.slips, Notes: r.notes, Report: source.Report{Problems: opened.Problems}}
	if lists := r.lists(sources); totals && lists > 0 {
		if lists < len(sources) {
			return usage.MisuseOf("totals", "--totals works on a list alone: ask about the list and about other places separately")
		}
		sources = r.onlyListed(sources, summary)
	}
	sources = r.distinct(sources, summary)
	err = p.answer(r, summary, func(w output.Destination) error {
		format := render.New(r.form, r.view.View, columns)
		options := listing.Options{Order: r.order, First: r.first, Context: r.view.Context, Totals: totals}
		var stream *render.Stream
		if r.order.AsIs {
			stream = render.NewStream(w, format, r.view.Frame(summary), r.first)
			options.Stream = stream
		}
		a, err := ask(p, r, func(request source.Request) (*listing.Answer, error) {
			if r.form.ForPeople() && (request.Facts != 0 || request.Condition != nil) {
				request.Facts |= entry.FactStatus // for the footer
			}
			summary.Bytes = totals || request.Facts.Has(entry.FactStatus)
			options.Request = request
			return listing.Run(ctx, p.once(r, sources), options)
		})
		summary.Report.Add(a.Report)
		if err != nil && stream != nil && ctx.Err() != nil { // what has been written is ended
			summary.Matched, summary.Stopped = a.Matched, true
			return cmp.Or(stream.End(), err)
		}
		if err != nil {
			return err
		}
		summary.Matched, summary.Totals, summary.Elsewhere = a.Matched, a.Totals, a.Elsewhere
		if r.program != nil {
			summary.Chosen, summary.Funnel = true, r.program.Left()
		}
		if r.effort {
			summary.Notes = append(summary.Notes, report.Effort(&summary.Report))
		}
		if stream != nil {
			return stream.End()
		}
		keepRows(r, a.Entries, func(e *entry.Entry) *entry.Entry { return e })
		return render.All(w, format, a.Entries, r.view.Frame(summary))
	})
	found := summary.Matched.Entries() > 0
	return different(r.failIf == 0 && !found || r.failIf == 1 && found, err)
}

// set is the sources of a command. Whoever looks at the answer for long keeps nobody
// from recording.
func (p *Program) set(r *question, sources []source.Source) *source.Set {
	names := r.view.Context.Accounts.(*account.Names)
	set := &source.Set{Sources: sources, Also: source.Owners(names.ExpectUser, names.ExpectGroup)}
	if r.keeping != nil {
		set.Also = source.Both(set.Also, r.keeping)
	}
	if p.ledgers.Opened != nil {
		set.Done = p.ledgers.Opened.Release
	}
	return set
}

// once is the sources of a command whose answer has each entry once.
func (p *Program) once(r *question, sources []source.Source) *source.Set {
	set := p.set(r, sources)
	set.Once = true
	return set
}

// ask asks the core, and shows how far that has come.
func ask[A any](p *Program, r *question, do func(request source.Request) (A, error)) (A, error) {
	request := r.request
	request.Progress = &source.Progress{}
	defer p.progress(r, request.Progress)()
	return do(request)
}

// answer has an answer written to where it goes, and says what was left out. If
// the answer was not all there, it is written nevertheless, but not to a file.
func (p *Program) answer(r *question, summary *report.Summary, write func(output.Destination) error) error {
	if p.trying {
		return context.Canceled
	}
	var list output.Destination
	if r.keeping != nil {
		var err error
		if list, err = p.toFile("--save-list", r.keeping.file, r.replace); err != nil {
			return err
		}
	}
	destination, err := p.destination(r)
	if err == nil {
		err = write(destination)
		err = p.finish(r, destination, err, err == nil || r.to == "")
	}
	switch {
	case list != nil && err == nil:
		err = p.keepList(r, list)
	case list != nil:
		list.Close(false)
	}
	if err != nil {
		return err
	}
	if r.byEnding && !r.quiet {
		p.Say("written to %s as %s", typeset.Escaped(r.to), r.form.Name)
	}
	return p.conclude(r, summary)
}

// write writes rows that are all there.
func write[R any](p *Program, r *question, summary *report.Summary, columns []row.Column[R], rows row.Source[R]) error {
	return p.answer(r, summary, func(w output.Destination) error {
		return render.All(w, render.New(r.form, r.view.View, columns), rows, r.view.Frame(summary))
	})
}

// finish closes what an answer was written to, whole or not, and returns the first
// error. A file is not left half made for a signal.
func (p *Program) finish(r *question, destination output.Destination, err error, whole bool) error {
	if r.to != "" {
		defer p.Writing("writing " + typeset.Escaped(r.to))()
	}
	if closing := destination.Close(whole); err == nil {
		err = closing
	}
	return err
}

// different turns how a check ended into the status for a difference, if it
// found one. That is an answer also where something else could not be read.
func different(found bool, err error) error {
	var f *usage.Failure
	if found && (err == nil || errors.As(err, &f) && f.Status == usage.StatusIncomplete) {
		return &usage.Failure{Status: usage.StatusDifferent}
	}
	return err
}

// toFile opens a file that an option names to be written.
func (p *Program) toFile(option, file string, replace bool) (output.Destination, error) {
	d, err := output.ToFile(file, replace)
	if errors.Is(err, output.ErrExists) {
		return nil, usage.Repaired(usage.Misuse("%s: %w", option, err), append(slices.Clip(p.args), "--replace"))
	}
	return d, err
}

// destination opens what the answer is written to.
func (p *Program) destination(r *question) (output.Destination, error) {
	if r.to != "" {
		return p.toFile("--to", r.to, r.replace)
	}
	_, height, onScreen := p.Screen()
	command := output.PagerCommand(r.config.Text("pager"))
	switch {
	case r.page == neverWord || command == "":
	case r.page == alwaysWord || onScreen:
		if terminal, ok := p.Out.(*os.File); ok {
			return p.Paged(terminal, command, height, r.page == alwaysWord), nil
		}
	}
	if session.IsTerminal(p.Out) {
		return output.Screen(output.Straight(p.Out)), nil
	}
	return output.Straight(p.Out), nil
}

// conclude says on the standard error what could not be read and, for formats
// without a footer, to a person, what was left out.
func (p *Program) conclude(r *question, s *report.Summary) error {
	lines := r.view.FunnelLines(s)
	if r.effort {
		lines = append(lines, report.Effort(&s.Report))
	}
	if !r.quiet && session.IsTerminal(p.Err) && r.form != render.Counted {
		lines = nil
		for _, line := range r.view.Footer(s) {
			lines = append(lines, line.Text)
		}
	}
	if !r.form.ForPeople() {
		for _, line := range lines {
			p.Say("%s", line)
		}
	}
	for _, problem := range s.Report.Problems {
		p.Say("frank: %s", report.ProblemLine(&problem))
	}
	if !s.Complete() {
		return &usage.Failure{Status: usage.StatusIncomplete}
	}
	return nil
}
