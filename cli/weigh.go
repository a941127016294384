package cli

import (
	"cmp"
	"errors"
	"slices"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/core/sums"
	"frankledger/core/weigh"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/charts"
	"frankledger/render/report"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

func (p *Program) weighCommand() *cobra.Command {
	var o weighOptions
	cmd := &cobra.Command{
		Use: "weigh [PLACE…] [where CONDITION…]",
		Long: `Adds up what folders hold, at any depth: first the place itself, then each folder directly
in it, largest first. The row "in NAME itself" is what is in the folder, but in no folder
below. The other rows add up exactly to the first.

Size is the content of files. Disk is the space that everything takes on disk, including
the folders themselves. A file with several names is counted once, under the name that
comes first in byte order. --explain lists what was added up for one folder, file by file,
so you can check the sum.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			return p.weigh(cmd, &o, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	flags.AddChoice(f, &o.by, "by", "", measures, measures[0], "`WHAT` to weigh by: size, disk or files (their number)")
	levels(cmd, &o.reading.depth, "1", 0, "the `NUMBER` of levels to show, or all; 0 shows only the sum")
	flags.AddNumber(f, &o.reading.first, "first", "f", "0", "in each folder show only the largest `NUMBER`, and the rest as one row")
	f.StringVar(&o.atLeast, "at-least", "", "show only folders of at least this `SIZE` or share, such as 10MB or 5%, and the rest as one row")
	flags.AddNumber(f, &o.largest, "largest", "", "0", "below each folder show the `NUMBER` largest files in it")
	flags.AddNumber(f, &o.heaviest, "heaviest", "", "0", "show the `NUMBER` largest files of all, instead of folders")
	f.StringVar(&o.since, "since", "", "show what grew or shrank since this `PLACE`, usually a record, or since a day")
	f.StringVar(&o.failIf, "fail-if", "", "end with status 1 if it takes, or grew by, more than this `SIZE` or share")
	flags.AddChoice(f, &o.picture, "picture", "", pictures, pictures[0], "with --as svg, `WHAT` to draw: map (areas) or bars")
	flags.AddWord(f, &o.explain, "explain", func(word string) bool { return word == usage.Where }, "show what was added up for this `FOLDER`, or for the place, with a running total")
	group(cmd, groupWhat, "by", "depth", "first", "at-least", "largest", "heaviest", "since", "fail-if", "picture", "explain")
	addLooking(cmd, &o.reading.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.reading.showingOptions, render.WithPicture(render.Forms))
	addKeeping(cmd, &o.reading.lookingOptions)
	complete(cmd, "by", oneOf(measures))
	complete(cmd, "picture", oneOf(pictures))
	examples(cmd,
		example{"weigh", "what is in the current folder, largest first"},
		example{"weigh recordings --depth all", "every folder below"},
		example{"weigh recordings --depth 0 --quiet", "one number"},
		example{"weigh --by disk", "by space on disk"},
		example{"weigh --heaviest 10", "the ten largest files, wherever they are"},
		example{"weigh --at-least 1% --largest 2", "only what matters, with the largest files in it"},
		example{"weigh where ext is wav and age over 2 weeks", "only some of the files"},
		example{"weigh --since @weekly", "what grew and what shrank since the record?"},
		example{"weigh --since @weekly --fail-if 'more than 5GB' --depth 0", "for a timer: status 1 if it grew too much"},
		example{"weigh --to folders.svg", "a map of folders, as a picture for a document"},
		example{"weigh --explain handover", "what adds up to the sum of one folder, file by file"},
	)
	return cmd
}

// pictures are the words for what is drawn of weights.
var pictures = []string{"map", "bars"}

// levelsDrawn is how many levels a map shows, unless another number was asked for.
const levelsDrawn = 3

// drawing checks the options for a picture, and makes the plan one for it.
func (o *weighOptions) drawing(cmd *cobra.Command, r *question, plan *weigh.Plan) error {
	changed := cmd.Flags().Changed
	if r.form != render.SVG {
		if changed("picture") {
			return usage.MisuseOf("picture", "--picture needs a picture: add --as svg, or write --to a file that ends in .svg")
		}
		return nil
	}
	if !o.bars() {
		if !changed("depth") {
			plan.Depth = levelsDrawn
		}
		*plan = plan.ForMap(plan.Depth)
	}
	return nil
}

// bars reports whether bars are drawn: of files there is no map.
func (o *weighOptions) bars() bool { return o.heaviest.Value > 0 || o.picture.String() == pictures[1] }

// weigh answers with the weights of folders.
func (p *Program) weigh(cmd *cobra.Command, o *weighOptions, args []string) error {
	by := o.by.Index()
	r, err := p.question(cmd, &o.reading)
	if err != nil {
		return err
	}
	plan := weigh.Plan{By: sums.Measure(by), Depth: r.request.Depth, First: r.first, Largest: o.largest.Value, Heaviest: o.heaviest.Value, Direct: r.form.ForPeople(), Total: r.form.ForPeople()}
	explain := o.explain.String()
	if o.explains() {
		if !cmd.Flags().Changed("units") {
			r.view.Units = units.AllBytes // to be added up by hand
		}
	}
	if err := plan.SetAtLeast(o.atLeast); err != nil {
		return usage.MisuseOf("at-least", "--at-least: %w", err)
	}
	if err := o.drawing(cmd, r, &plan); err != nil {
		return err
	}
	limit := weigh.Limit{}
	if o.failIf != "" {
		if limit, err = weigh.ParseLimit(o.failIf, plan.By, o.since != ""); err != nil {
			return usage.MisuseOf("fail-if", "--fail-if: %w", err)
		}
	}
	if o.since != "" {
		return p.weighSince(cmd, r, o, &plan, limit, args)
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.WhatIsIn)
	if err != nil {
		return err
	}
	if o.explain.Alone() {
		if len(sources) != 1 {
			return usage.MisuseOf("explain", "--explain works on one folder: name it, as in --explain %s", typeset.Escaped(sources[0].Place().Given))
		}
		explain = sources[0].Place().Full
	}
	r.addsUp(sumsMatches)
	passed := false
	err = p.answer(r, summary, func(w output.Destination) error {
		a, stopped := ask(p, r, func(request source.Request) (*weigh.Answer, error) {
			return weigh.Run(cmd.Context(), p.set(r, sources), weigh.Options{Request: request, Plan: plan, Explain: explain, Context: r.view.Context})
		})
		if errors.Is(stopped, weigh.ErrNothing) {
			return usage.MisuseOf("explain", "--explain: %w in %s: it is empty, or was not read", stopped, typeset.Escaped(explain))
		}
		if a == nil {
			return stopped
		}
		summary.Report.Add(a.Report)
		summary.Elsewhere, summary.Stopped = &a.Elsewhere, a.Stopped
		summary.Matched, summary.Bytes, summary.Grouped = a.Matched, true, true
		if passed = limit.Passed(0, plan.By.Of(&a.Matched)); passed {
			summary.Notes = append(summary.Notes, "that is more than "+typeset.Escaped(limit.String()))
		}
		if o.explains() {
			return cmp.Or(render.All(w, render.New(r.form, r.view.View, weigh.AddendColumns(plan.By, r.view.Context)), row.List[*weigh.Addend](a.Addends), r.view.Frame(summary)), stopped)
		}
		rows := row.List[*weigh.Row](a.Rows)
		r.view.WeighSummary(summary, a, &plan)
		if r.form == render.SVG {
			draw := charts.WeighMap
			if o.bars() {
				draw = charts.WeighBars
			}
			_, err := w.Write(draw(r.view, a.Rows, plan.By).Document())
			return cmp.Or(err, stopped)
		}
		if plan.Depth == 0 && r.quiet && r.form == render.Table && len(a.Rows) == 1 {
			_, err := w.Write(append(report.Weight(r.view, a.Rows[0], plan.By), '\n'))
			return cmp.Or(err, stopped)
		}
		if r.form.Paths && o.heaviest.Value == 0 {
			rows = slices.DeleteFunc(rows, func(one *weigh.Row) bool { return one.Kind != weigh.FolderRow })
		}
		return cmp.Or(render.All(w, render.New(r.form, r.view.View, report.WeighColumns(&plan)), rows, r.view.Frame(summary)), stopped)
	})
	return different(passed, err)
}
