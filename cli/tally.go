package cli

import (
	"cmp"
	"context"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/usage"
	"frankledger/core/row"
	"frankledger/core/source"
	"frankledger/core/tally"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/charts"
)

func (p *Program) tallyCommand() *cobra.Command {
	var o readingOptions
	var by, since string
	var cross bool
	forms := render.WithPicture(render.WithColumns())
	cmd := &cobra.Command{
		Use: "tally [PLACE…] [--by FIELD[,FIELD]] [where CONDITION…]",
		Long: `Counts entries below a folder in groups, and adds up the bytes of each group: by kind,
ext, type, owner, group, mode, hidden, folder or depth; by age or size, in bands; by the
year, month or day of modification, or of another time, as in created/month. The default
is kind. With two fields, groups by both; --cross shows a table of one against the other.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			if !cmd.Flags().Changed("by") {
				if err := p.withoutBy(args); err != nil {
					return err
				}
				by = kindWord
			}
			switch {
			case !slices.Contains(render.Names(forms), o.format):
				if _, err := render.LookupForm(o.format); err != nil {
					return usage.MisuseOf("as", "--as: %w", err)
				}
				return usage.MisuseOf("as", "--as: a group has no path; choose from %s", strings.Join(render.Names(forms), ", "))
			case cross && strings.Count(by, ",") != 1:
				return usage.MisuseOf("cross", "--cross needs two fields: --by ext,age")
			}
			return p.tally(cmd, &o, by, since, cross, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	f.StringVar(&by, "by", "", "the `FIELDS` to group by: one, or two separated by a comma")
	f.StringVar(&since, "since", "", "show what grew or shrank since this `PLACE`, usually a record, or since a day")
	f.BoolVar(&cross, "cross", false, "show two fields as a table, one against the other")
	flags.AddNumber(f, &o.first, "first", "f", "0", "show only the first `NUMBER` of groups, and the others as one row")
	group(cmd, groupWhat, "by", "since", "cross", "first")
	addDepth(cmd, &o.lookingOptions, allWord)
	addLooking(cmd, &o.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.showingOptions, forms)
	addKeeping(cmd, &o.lookingOptions)
	complete(cmd, "by", listOf(tally.Words()))
	examples(cmd,
		example{"tally --by ext", "what kinds of files, largest first"},
		example{"tally --by age", "how old is everything?"},
		example{"tally recordings --by month --units decimal", "how much is from each month?"},
		example{"tally --by kind,hidden", "by two fields"},
		example{"tally --by ext --since @weekly", "what grew and what shrank since the record?"},
		example{"tally --by ext,age --cross", "one against the other"},
		example{"tally --by ext --to kinds.svg", "bars, as a picture for a document"},
		example{"tally --by owner where size over 1MB", "only some of the files"},
	)
	return cmd
}

// tally answers with groups.
func (p *Program) tally(cmd *cobra.Command, o *readingOptions, by, since string, cross bool, args []string) error {
	r, err := p.question(cmd, o)
	if err != nil {
		return err
	}
	if cross && (r.form != render.Table && r.form != render.SVG || cmd.Flags().Changed("first")) {
		return usage.MisuseOf("cross", "--cross makes a table or, with --as svg, a picture; it cannot be combined with other formats or with --first")
	}
	dimensions, err := tally.ParseDimensions(by, r.view.Zone)
	if err != nil {
		return usage.MisuseOf("by", "--by: %w", err)
	}
	if since != "" {
		return p.tallySince(cmd.Context(), r, dimensions, since, args)
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.AsNamed)
	if err != nil {
		return err
	}
	r.addsUp(sumsMatches)
	sources = r.distinct(sources, summary)
	return p.answer(r, summary, func(w output.Destination) error {
		a, stopped := ask(p, r, func(request source.Request) (*tally.Answer, error) {
			return tally.Run(cmd.Context(), p.once(r, sources), tally.Options{Request: request, Dimensions: dimensions, Context: r.view.Context})
		})
		if a == nil {
			return stopped
		}
		summary.Report.Add(a.Report)
		summary.Stopped = a.Stopped
		summary.Matched, summary.Bytes, summary.Grouped = a.Matched, true, true
		if r.form == render.SVG {
			drawn, err := p.tallyPicture(r, a, by, cross)
			if err == nil {
				_, err = w.Write(drawn)
			}
			return cmp.Or(err, stopped)
		}
		if cross {
			_, err := w.Write(r.view.Cross(nil, a.Cross(), dimensions[0].Name, dimensions[1].Name, summary))
			return cmp.Or(err, stopped)
		}
		return cmp.Or(render.All(w, render.New(r.form, r.view.View, a.Columns(r.first > 0)), row.List[*tally.Group](a.Groups(r.first)), r.view.Frame(summary)), stopped)
	})
}

// mostDrawn is how many groups a picture has room for, and how many rows and columns.
const mostDrawn, mostCrossed = 40, 60

// tallyPicture draws groups.
func (p *Program) tallyPicture(r *question, a *tally.Answer, by string, cross bool) ([]byte, error) {
	if !cross {
		return charts.TallyPicture(r.view, a.Groups(cmp.Or(r.first, mostDrawn)), strings.ReplaceAll(by, ",", " and ")).Document(), nil
	}
	c := a.Cross()
	if len(c.Down) > mostCrossed || len(c.Across) > mostCrossed {
		return nil, usage.Misuse("that picture would have %d by %d squares, too many to read; narrow it with a condition", len(c.Down), len(c.Across))
	}
	return charts.CrossPicture(r.view, c, strings.ReplaceAll(by, ",", " and ")).Document(), nil
}

// tallySince answers with the groups in which there is more or less than at another time.
func (p *Program) tallySince(ctx context.Context, r *question, dimensions []*tally.Dimension, since string, args []string) error {
	before, after, summary, err := p.openSince(ctx, r, since, args)
	if err != nil {
		return err
	}
	return p.answer(r, summary, func(w output.Destination) error {
		a, err := ask(p, r, func(request source.Request) (*tally.Grown, error) {
			options := tally.Options{Request: request, Dimensions: dimensions, Context: r.view.Context}
			return tally.Since(ctx, before, after, options, r.first)
		})
		if err != nil {
			return err
		}
		r.view.HeldSummary(summary, a.Held)
		summary.Matched, summary.Bytes, summary.Grouped = a.After, true, true
		r.view.TallyGrowthSummary(summary, a)
		return render.All(w, render.New(r.form, r.view.View, a.Columns()), row.List[*tally.Growth](a.Groups), r.view.Frame(summary))
	})
}

// kindWord is what is grouped by where nothing is said.
const kindWord = "kind"

// withoutBy says what is meant by a word that is something to group by and no place.
func (p *Program) withoutBy(args []string) error {
	places, _, _ := usage.SplitWhere(args)
	for _, word := range places {
		if _, there := os.Lstat(word); there != nil && slices.Contains(tally.Words(), strings.ToLower(word)) {
			return usage.Repaired(usage.Misuse("write the field to group by after --by"), p.args.Instead(word, "--by", strings.ToLower(word)))
		}
	}
	return nil
}
