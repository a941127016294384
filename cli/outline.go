package cli

import (
	"cmp"
	"slices"

	"github.com/spf13/cobra"

	"frankledger/cli/flags"
	"frankledger/cli/place"
	"frankledger/cli/session"
	"frankledger/cli/usage"
	"frankledger/core/arrange"
	"frankledger/core/outline"
	"frankledger/core/source"
	"frankledger/output"
	"frankledger/render"
	"frankledger/render/outlines"
	"frankledger/render/units"
)

// outlineFormats are those that an outline can have.
var outlineFormats = []*render.Form{render.Table, render.JSON, render.Markdown, render.HTML}

func (p *Program) outlineCommand() *cobra.Command {
	var o readingOptions
	var foldersOnly bool
	cmd := &cobra.Command{
		Use: "outline [PLACE…] [where CONDITION…]",
		Long: `Shows what is in a folder and in the folders below, indented at each level. The size of a
folder includes everything in it, at any depth, shown or not. A link is shown with its
target. With where, only matches are shown, with the folders that lead to them; the sizes
of folders still include everything.`,
		Args:              cobra.ArbitraryArgs,
		ValidArgsFunction: completeWhere,
		RunE: func(cmd *cobra.Command, args []string) error {
			if !slices.Contains(render.Names(outlineFormats), o.format) {
				return usage.MisuseOf("as", "--as: an outline can be table, json, markdown or html, not %s", o.format)
			}
			return p.outline(cmd, &o, foldersOnly, args)
		},
	}
	f := cmd.Flags()
	f.SortFlags = false
	levels(cmd, &o.depth, "2", 1, "the `NUMBER` of levels to show, or all")
	f.BoolVar(&foldersOnly, "folders-only", false, "show only folders; sizes still include files")
	flags.AddParsed(f, &o.order, "order", "o", "", arrange.ParseOrder, "the `FIELDS` to sort by in each folder, with /reverse for the opposite order")
	flags.AddNumber(f, &o.first, "first", "f", "0", "in each folder show only the first `NUMBER`, and how many are left")
	group(cmd, groupWhat, "depth", "folders-only", "order", "first")
	addReverse(cmd, &o.reverse)
	addLooking(cmd, &o.lookingOptions, hiddenWords[0])
	addShowing(cmd, &o.showingOptions, outlineFormats)
	addKeeping(cmd, &o.lookingOptions)
	complete(cmd, "order", listOf(orderWords()[1:]))
	examples(cmd,
		example{"outline", "two levels"},
		example{"outline --folders-only --depth all", "all folders"},
		example{"outline --order size --first 3", "the three largest in each folder"},
		example{"outline --depth all where name has dawn and size over 25MB", "only matches, and the folders that lead to them"},
	)
	return cmd
}

// outline answers with an outline.
func (p *Program) outline(cmd *cobra.Command, o *readingOptions, foldersOnly bool, args []string) error {
	r, err := p.question(cmd, o)
	if err != nil {
		return err
	}
	if r.order.AsIs {
		return usage.MisuseOf("order", "--order none does not work here: the totals are known only at the end")
	}
	sources, summary, err := p.open(cmd.Context(), r, args, place.WhatIsIn)
	if err != nil {
		return err
	}
	r.addsUp(sumsEverything)
	if r.request.Depth != source.AllDepths {
		summary.Slips = append(summary.Slips, "only "+units.Count(int64(r.request.Depth), "level", "levels")+" of folders were looked at; --depth all looks at all")
	}
	if r.request.Depth == source.AllDepths {
		session.SpareMemory()
	}
	plan := outline.Plan{Order: r.order, Context: r.view.Context, FoldersOnly: foldersOnly, First: r.first}
	return p.answer(r, summary, func(w output.Destination) error {
		a, stopped := ask(p, r, func(request source.Request) (*outline.Answer, error) {
			return outline.Run(cmd.Context(), p.set(r, sources), request, plan)
		})
		if a == nil {
			return stopped
		}
		summary.Report.Add(a.Report)
		summary.Matched, summary.Bytes, summary.Grouped, summary.Elsewhere, summary.Stopped = a.Matched, true, true, &a.Elsewhere, a.Stopped
		write := outlines.Text
		switch r.form {
		case render.JSON:
			write = outlines.JSON
		case render.Markdown:
			write = outlines.Markdown
		case render.HTML:
			write = outlines.Page
		}
		return cmp.Or(write(w, r.view, a.Nodes, summary), stopped)
	})
}
