package cli

import (
	"slices"

	"github.com/spf13/cobra"

	"frankledger/core/entry"
	"frankledger/core/outline"
	"frankledger/core/source"
	"frankledger/core/weigh"
	"frankledger/output"
	"frankledger/render"
)

// outlineFormats are those that an outline can have.
var outlineFormats = []*render.Form{render.Table, render.JSON, render.Markdown}

func (p *Program) outlineCommand() *cobra.Command {
	var o readingOptions
	var foldersOnly bool
	cmd := &cobra.Command{
		Use:   "outline [PLACE…] [where CONDITION…]",
		Short: "folders and files below as an indented outline, with totals",
		Long: `Shows what is in a folder, and in the folders in it, further in at each level.
Folders have the size of all they hold, at any depth, shown or not. A link shows
what it leads to. With where, only what meets the condition is shown and added
up, and the folders that lead to it.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			if !slices.Contains(render.Names(outlineFormats), o.format) {
				return misuse("--as: an outline can be table, json or markdown, not %s", o.format)
			}
			return p.outline(cmd, &o, foldersOnly, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	o.hidden = hiddenWords[0]
	f.StringVar(&o.depth, "depth", "2", "the `NUMBER` of levels to show, or all")
	f.BoolVar(&foldersOnly, "folders-only", false, "show folders only; files are still added up")
	f.StringVar(&o.order, "order", "", "the `FIELDS` to order by in each folder, with /reverse to turn one round")
	f.IntVar(&o.first, "first", 0, "in each folder only the first `NUMBER`, and how many more there are")
	group(cmd, groupWhat, "depth", "folders-only", "order", "first")
	addLooking(cmd, &o)
	addShowing(cmd, &o, outlineFormats)
	complete(cmd, "depth", oneOf([]string{"1", "2", "3", allWord}))
	complete(cmd, "order", listOf(orderWords()[1:]))
	examples(cmd,
		example{"outline", "two levels"},
		example{"outline --folders-only --depth all", "all folders"},
		example{"outline --order size --first 3", "the heaviest three in each folder"},
		example{"outline --depth all where name has dawn and size over 25MB", "only matches, and the folders that lead to them"},
	)
	return cmd
}

// outline answers with an outline.
func (p *Program) outline(cmd *cobra.Command, o *readingOptions, foldersOnly bool, args []string) error {
	r, err := p.reading(cmd, o)
	if err != nil {
		return err
	}
	if r.order.AsIs {
		return misuse("--order none has no meaning in an outline: its totals are known only at the end")
	}
	sources, summary, err := p.open(cmd.Context(), r, args, o.matchCase, true)
	if err != nil {
		return err
	}
	builder := outline.NewBuilder(outline.Plan{Order: r.order, Context: r.view.Context, Depth: r.request.Depth, Hidden: r.request.Hidden,
		FoldersOnly: foldersOnly, First: r.first})
	request := r.request
	request.Facts = r.order.Needs() | entry.FactStatus
	if !foldersOnly {
		request.Facts |= entry.FactTarget
	}
	request.Depth, request.Hidden = source.AllDepths, source.ShowHidden
	counter := weigh.NewCounter(builder)
	return p.answer(r, summary, func(w output.Destination) error {
		stopped := p.readAll(cmd.Context(), r, &request, sources, counter, summary)
		if stopped != nil && cmd.Context().Err() == nil {
			return stopped
		}
		summary.Stopped = stopped != nil
		if err := p.writeOutline(w, r, builder, counter, summary); err != nil {
			return err
		}
		return stopped
	})
}

func (p *Program) writeOutline(w output.Destination, r *reading, builder *outline.Builder, counter *weigh.Counter, summary *render.Summary) error {
	nodes, err := builder.Outline(r.view.Places)
	if err != nil {
		return err
	}
	elsewhere := builder.Totals().Elsewhere()
	summary.Matched, summary.Bytes, summary.Grouped, summary.Elsewhere = counter.Sum(), true, true, &elsewhere
	summary.Report.Hidden = builder.Hidden()
	var out []byte
	switch r.form {
	case render.JSON:
		out = r.view.OutlineJSON(nil, nodes, summary)
	case render.Markdown:
		out = r.view.OutlineMarkdown(nil, nodes, summary)
	default:
		out = r.view.Outline(nil, nodes, summary)
	}
	_, err = w.Write(out)
	return err
}
