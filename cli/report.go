package cli

import (
	"errors"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/digest"
	"frankledger/core/duplicates"
	"frankledger/core/entry"
	"frankledger/core/inventory"
	"frankledger/core/ledger"
	"frankledger/core/live"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/weigh"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/inventorypage"
	"frankledger/render/units"
)

// reportOptions are the options of report beside those that all commands share.
type reportOptions struct {
	reading readingOptions
	by      flags.Choice
	copies  bool
}

// reportForms are the formats that a report can have.
var reportForms = []*render.Form{render.HTML}

func (p *Program) reportCommand() *cobra.Command {
	var o reportOptions
	cmd := &cobra.Command{
		Use: "report [PLACE…] [where CONDITION…]",
		Long: `Writes a page for a browser that shows how much is in a place, what takes up the space (a
map; click a folder to open it), what kinds of files there are, how old and how large they
are, the largest and the newest, and what may need attention. If the ledger has records of
the place, made with the same options, the page also shows what grew over time, and what
changed since the last record. Each number comes with the command that gives it.

The page is a single file, easy to pass on. The place is read once. --copies also reads
the content of files, to find copies and files with a wrong extension.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.report(cmd, &o, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	flags.AddChoice(f, &o.by, "by", "", measures, measures[0], "`WHAT` to weigh folders by: size, disk or files (their number)")
	f.BoolVar(&o.copies, "copies", false, "also read the content of files, to find copies and wrong extensions")
	flags.AddNumber(f, &o.reading.first, "first", "f", "10", "show the `NUMBER` largest files, and as many of the newest")
	group(cmd, groupWhat, "by", "copies", "first")
	addLooking(cmd, &o.reading.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.reading.showingOptions, reportForms)
	complete(cmd, "by", oneOf(measures))
	examples(cmd,
		example{"report --to report.html", "everything about the current folder"},
		example{"report recordings --by disk --to recordings.html", "by space on disk"},
		example{"report cards exchange --copies --to copies.html", "two places, and the copies in them"},
		example{"report @weekly --to week.html", "what was recorded, and what had grown by then"},
		example{"report . --to wav.html where ext is wav", "only some of the files"},
	)
	return cmd
}

// report answers with a page about places.
func (p *Program) report(cmd *cobra.Command, o *reportOptions, args []string) error {
	by := o.by.Index()
	r, err := p.question(cmd, &o.reading)
	if err != nil {
		return err
	}
	if r.view.Times == units.Relative && !cmd.Flags().Changed("times") {
		r.view.Times = units.Local // it is looked at later
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.WhatIsIn)
	if err != nil {
		return err
	}
	sources = r.distinct(sources, summary)
	if o.copies && hasRecord(sources) {
		return usage.MisuseOf("copies", "--copies reads the content of files, and a record keeps no content; frank duplicates finds copies in records with digests")
	}
	options := inventory.Options{Context: r.view.Context, By: sums.Measure(by), First: r.first, Folders: 12, Content: o.copies}
	options.Copies = duplicates.Options{Algorithm: entry.Algorithms[0]}
	var note string
	if options.Earlier, note, err = p.earlier(cmd, r, &o.reading, sums.Measure(by), args); err != nil {
		return err
	}
	if note != "" {
		summary.Notes = append(summary.Notes, note)
	}
	return p.answer(r, summary, func(w output.Destination) error {
		a, err := ask(p, r, func(request source.Request) (*inventory.Answer, error) {
			options.Request = request
			options.Pool = digest.NewPool(live.Files{}, request.Progress)
			return inventory.Run(cmd.Context(), p.set(r, sources), options)
		})
		if err != nil {
			return err
		}
		summary.Report.Add(a.Report)
		summary.Report.SortProblems()
		summary.Matched, summary.Bytes, summary.Grouped, summary.Elsewhere = a.Sum, true, true, &a.Elsewhere
		page := &inventorypage.Report{View: r.view, Answer: a, By: sums.Measure(by), Command: p.commandsOf(cmd, r, args), Made: usage.CommandLine(p.args)}
		_, err = w.Write(page.Page(summary))
		return err
	})
}

// earlier opens the ledger for what it has of the places of a report, if there is one, or says
// why that was not looked at. Some of what is there cannot be held against records of all of it.
func (p *Program) earlier(cmd *cobra.Command, r *question, o *readingOptions, by sums.Measure, args []string) (*inventory.Earlier, string, error) {
	if r.condition != nil {
		return nil, "growth is shown only without a condition", nil
	}
	l, err := p.ledgers.ToRead(cmd.Context(), r.ledger, r.hosts)
	switch {
	case errors.Is(err, ledger.ErrNone) && !cmd.Flags().Changed("ledger"):
		return nil, "", nil
	case err != nil && !cmd.Flags().Changed("ledger"):
		return nil, "the ledger could not be read: " + err.Error(), nil
	case err != nil:
		return nil, "", err
	}
	host, err := os.Hostname()
	if err != nil {
		return nil, "", err
	}
	plan := weigh.Plan{By: by, Depth: 2, First: 8, Direct: true}
	return &inventory.Earlier{Ledger: l, Host: host, Terms: r.terms(o, args), Plan: plan}, "", nil
}

// commandsOf returns how the command lines are written that give what a report tells.
func (p *Program) commandsOf(cmd *cobra.Command, r *question, args []string) func(words []string, where string, places ...string) string {
	var all []string
	for _, place := range r.view.Places {
		given := place.Given
		if strings.HasPrefix(given, "-") { // it would be taken for an option
			given = "./" + given
		}
		all = append(all, given)
	}
	var looking, ledgerOnly []string
	cmd.Flags().Visit(func(f *pflag.Flag) {
		switch f.Name {
		case "ledger":
			ledgerOnly = append(ledgerOnly, "--ledger", f.Value.String())
		case "hidden", "as-of":
			looking = append(looking, "--"+f.Name, f.Value.String())
		case "follow", "same-disk", "match-case":
			looking = append(looking, "--"+f.Name)
		case "skip":
			patterns, _ := cmd.Flags().GetStringArray(f.Name)
			for _, pattern := range patterns {
				looking = append(looking, "--skip", pattern)
			}
		}
	})
	return func(words []string, where string, places ...string) string {
		line := words[:1:1]
		if words[0] == "ledger" {
			return usage.CommandLine(slices.Concat(words, ledgerOnly))
		}
		if places == nil {
			places = all
		}
		line = slices.Concat(line, places, words[1:], looking, ledgerOnly)
		switch {
		case r.condition != nil && where != "":
			line = append(line, usage.Where, "("+r.condition.String()+") and "+where)
		case r.condition != nil:
			line = append(line, usage.Where, r.condition.String())
		case where != "":
			line = append(append(line, usage.Where), strings.Fields(where)...)
		}
		return usage.CommandLine(line)
	}
}
